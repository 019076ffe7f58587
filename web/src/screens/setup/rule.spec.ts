import { describe, expect, it } from 'vitest'
import { seconds } from './rule'

describe('seconds', () => {
  it.each([
    ['100 ms', 0.1],
    ['2s', 2],
    [' 1.5 min ', 90],
    ['30 us', 0.00003],
    ['3', undefined],
    ['soon', undefined],
    ['1 year', undefined],
    ['', undefined],
  ])('%s', (written, found) => expect(seconds(written)).toBe(found))
})
