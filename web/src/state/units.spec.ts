import { describe, expect, it } from 'vitest'
import { bytes, clock, count, duration, said, share, text, times } from './units'

describe('figures in the unit a person would say', () => {
  it.each([
    [duration(0.0000021), '2.1 µs'],
    [duration(0.0042), '4.2 ms'],
    [duration(1.9), '1.9 s'],
    [duration(300), '5 min'],
    [duration(7_680_960), '88.9 days'],
    [bytes(132_000_000), '132 MB'],
    [count(2_560_000), '2.56 million'],
    [count(1234.4, '/s'), '1,234 /s'],
    [said(null, 's'), 'none'],
    [said(0.714, 'share'), '71%'],
  ])('%o is %s', (one, words) => expect(text(one)).toBe(words))

  it('compares with a reference', () => {
    expect(times(2.3, 1)).toBe('2.3×')
    expect(times(1.05, 1)).toBe('same')
    expect(times(1, 0)).toBe('new')
    expect(times(1, null)).toBe('')
    expect(times(1e6, 1)).toBe('> 9,999×')
  })
  it('says shares and times of day', () => {
    expect(share(0.012)).toBe('1.2%')
    expect(clock(Date.UTC(2026, 10, 23, 9, 5, 7) * 1000, true)).toBe('09:05:07')
  })
})
