import { describe, expect, it } from 'vitest'
import { timeTicks, valueTicks } from './scale'
import { HOUR, MINUTE } from '@/state/span'

describe('marks of a time axis', () => {
  it('stand on whole steps within the span', () => {
    expect(timeTicks(3 * MINUTE, 62 * MINUTE, 13)).toEqual([5, 10, 15, 20, 25, 30, 35, 40, 45, 50, 55, 60].map((m) => m * MINUTE))
    expect(timeTicks(0, 24 * HOUR, 13).length).toBe(9)
  })
  it('are none where there is no span', () => expect(timeTicks(10, 5, 13)).toEqual([]))
})

describe('marks of a scale', () => {
  it('are round and reach the top', () => {
    expect(valueTicks(9.5)).toEqual([0, 5])
    expect(valueTicks(0.9)).toEqual([0, 0.5])
    expect(valueTicks(6)).toEqual([0, 2, 4, 6])
  })
})
