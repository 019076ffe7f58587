import { describe, expect, it } from 'vitest'
import { arrivalWords, changesOf } from './design'

describe('what an arm changes, in words', () => {
  it.each([
    [{ name: 'control' }, 'as it is'],
    [{ name: 'a', settings: { buffer_cache_bytes: 1e9 } }, 'buffer_cache_bytes = 1000000000'],
    [{ name: 'b', add_indexes: [{ table: 'loan', columns: ['due_on', 'branch_id'] }], drop_indexes: ['loan_due'] }, 'index on loan (due_on, branch_id); without index loan_due'],
    [{ name: 'c', settings: {}, add_indexes: [] }, 'as it is'],
  ])('%o', (arm, words) => expect(changesOf(arm)).toBe(words))
})

describe('how executions arrive, in words', () => {
  it.each([
    [{ kind: 'open', rate: '400 /s' }, 'arriving at random, 400 /s on average'],
    [{ kind: 'closed', workers: 4 }, '4 workers, without pause'],
    [{ kind: 'closed', workers: 4, think: '1 ms' }, '4 workers, pausing 1 ms on average'],
    [{ kind: 'closed', workers: 2, think: '1 ms', think_kind: 'fixed', order: 'file' }, '2 workers, each in the order of the file, pausing 1 ms each time'],
    [{ kind: 'closed', workers: 2, think_kind: 'uniform', think_most: '9 ms', order: 'own' }, '2 workers, each with a statement of its own, pausing 0 s to 9 ms'],
    [{ kind: 'recorded', times: ['0 s', '1 s'] }, '2 arrivals as recorded'],
  ])('%o', (arrival, words) => expect(arrivalWords(arrival)).toBe(words))
})
