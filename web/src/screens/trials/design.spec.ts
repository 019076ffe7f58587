import { describe, expect, it } from 'vitest'
import { changesOf } from './design'

describe('what an arm changes, in words', () => {
  it.each([
    [{ name: 'control' }, 'as it is'],
    [{ name: 'a', settings: { buffer_cache_bytes: 1e9 } }, 'buffer_cache_bytes = 1000000000'],
    [{ name: 'b', add_indexes: [{ table: 'loan', columns: ['due_on', 'branch_id'] }], drop_indexes: ['loan_due'] }, 'index on loan (due_on, branch_id); without index loan_due'],
    [{ name: 'c', settings: {}, add_indexes: [] }, 'as it is'],
  ])('%o', (arm, words) => expect(changesOf(arm)).toBe(words))
})
