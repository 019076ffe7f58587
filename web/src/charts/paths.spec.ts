import { describe, expect, it } from 'vitest'
import { bandPath, stepLine } from './paths'

const x = (us: number) => us
const y = (value: number) => -value

describe('a line of steps', () => {
  it('is broken where nothing is known', () => {
    expect(stepLine([0, 10, 20, 30], [1, 2, null, 3], 10, x, y)).toBe('M0.0,-1.0H10.0L10.0,-2.0H20.0M30.0,-3.0H40.0')
  })
})

describe('a band', () => {
  it('goes along its upper edge and back along its lower, without what is not known', () => {
    expect(bandPath([0, 10, 20], [1, null, 3], [2, 5, 4], x, y)).toBe('M0.0,-2.0L20.0,-4.0L20.0,-3.0L0.0,-1.0Z')
    expect(bandPath([0], [null], [1], x, y)).toBe('')
  })
})
