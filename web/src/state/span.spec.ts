import { describe, expect, it } from 'vitest'
import { bumpAround, durationOf, HOUR, lengthOf, MINUTE, spanOf, textOf, widened } from './span'

const NOW = Date.UTC(2026, 10, 23, 12) * 1000

describe('windows in addresses', () => {
  it('reads durations that end now, and intervals', () => {
    expect(spanOf('PT1H', NOW)).toEqual({ from: NOW - HOUR, to: NOW })
    expect(lengthOf('P1DT2H30M')).toBe(26.5 * HOUR)
    expect(lengthOf('yesterday')).toBeNull()
    const span = { from: NOW - HOUR, to: NOW }
    expect(spanOf(textOf(span), 0)).toEqual(span)
    expect(spanOf('2026-11-23T12:00:00Z/2026-11-23T11:00:00Z', NOW)).toBeNull()
  })
  it('writes durations', () => expect([durationOf(HOUR), durationOf(45 * MINUTE)]).toEqual(['PT1H', 'PT45M']))
  it('widens about the middle', () => expect(widened({ from: 0, to: HOUR }, 2)).toEqual({ from: -HOUR / 2, to: 1.5 * HOUR }))
})

describe('framing a bump', () => {
  const at = Array.from({ length: 20 }, (_, i) => i * MINUTE)
  const high = at.map(() => 2)
  const values = at.map((_, i) => (i >= 8 && i <= 12 && i !== 10 ? 5 : 1))

  it('takes the whole bump, bridging a short dip', () => {
    expect(bumpAround(at, values, high, 9 * MINUTE, MINUTE)).toEqual({ from: 8 * MINUTE, to: 13 * MINUTE })
  })
  it('takes an hour about the place where there is none', () => {
    expect(bumpAround(at, values, high, MINUTE, MINUTE)).toEqual({ from: -29 * MINUTE, to: 31 * MINUTE })
  })
})
