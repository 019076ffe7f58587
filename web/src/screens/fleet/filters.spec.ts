import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/api/client'
import { matches, type Filters } from './filters'

const line = {
  server: 'kiosk-a',
  role: 'member',
  engine: 'practice',
  engine_version: '4.1',
  words: 'as usual',
  labels: ['quay'],
  unusual: false,
  unlike: true,
  capture: 'recording',
} as unknown as Schemas['Line']
const none: Filters = { search: '', unusual: '', unlike: '', role: '', label: '', capture: '' }
const fits = (more: Partial<Filters>) => matches({ ...none, ...more }, 'kiosk', line)

describe('filters of the fleet', () => {
  it('shows everything without one', () => expect(fits({})).toBe(true))
  it('finds every word, in any order and case', () => {
    expect(fits({ search: 'MEMBER kiosk' })).toBe(true)
    expect(fits({ search: 'quay 4.1' })).toBe(true)
    expect(fits({ search: 'kiosk desk' })).toBe(false)
  })
  it('takes all filters together', () => {
    expect(fits({ role: 'member', label: 'quay', unlike: '1', capture: 'recording' })).toBe(true)
    expect(fits({ unusual: '1' })).toBe(false)
    expect(fits({ role: 'replica' })).toBe(false)
    expect(fits({ label: 'pier' })).toBe(false)
    expect(fits({ capture: 'paused' })).toBe(false)
  })
})
