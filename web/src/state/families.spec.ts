import { describe, expect, it } from 'vitest'
import { FAMILIES, isFamily, isHatched, tokenOf } from './families'
import { query } from '@/api/client'

describe('wait families', () => {
  it('keep their order with work at the bottom', () => {
    expect(FAMILIES[0]).toBe('processor')
    expect(FAMILIES.indexOf('data read')).toBeLessThan(FAMILIES.indexOf('row lock'))
  })
  it('have a token each, and other accounts take one by their place', () => {
    expect(tokenOf('temporary space', 0)).toBe('--f-temporary-space')
    expect(isFamily('desk_app')).toBe(false)
    expect(new Set(Array.from({ length: 12 }, (_, i) => tokenOf(`user ${i}`, i))).size).toBe(12)
  })
  it('hatch the second of a pair', () => {
    expect(isHatched('data write', 0)).toBe(true)
    expect(isHatched('data read', 0)).toBe(false)
  })
})

describe('query strings', () => {
  it('repeat lists and leave out what is not set', () => {
    expect(query({ scope: 'desk-a', 'filter.user': ['a', 'b c'], by: undefined })).toBe('scope=desk-a&filter.user=a&filter.user=b+c')
  })
})
