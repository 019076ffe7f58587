import { describe, expect, it } from 'vitest'
import { modeWords, seconds, type Rule } from './rule'

const RULE = { name: 'r', applies_to: ['fleet'], mode: 'everything', sample: 1, threshold: 0.1, weighty_from: 0.01 } as Rule

describe('a rule in words', () => {
  it.each([
    [RULE, 'all statements, sessions each 1 s, executions from 100 ms'],
    [{ ...RULE, sample: null, threshold: null }, 'all statements, no sessions, no executions'],
    [{ ...RULE, mode: 'weighty' as const }, 'statements from 10 ms a call, sessions each 1 s, executions from 100 ms'],
    [{ ...RULE, mode: 'reading' as const }, 'nothing new'],
    [{ ...RULE, every_nth_session: 4, literals: 'kept' as const }, 'all statements, sessions each 1 s, one in 4, executions from 100 ms with their values'],
    [{ ...RULE, until: '2026-03-02T09:30:00Z' }, 'all statements, sessions each 1 s, executions from 100 ms, until 2026-03-02 09:30'],
  ])('%#', (rule, words) => expect(modeWords(rule)).toBe(words))
})

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
