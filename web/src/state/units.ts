/** Figures in the unit a person would say. Durations in seconds, sizes in bytes, times in UTC microseconds. */
export interface Said {
  figure: string
  unit: string
}

function three(value: number): string {
  if (value === 0) return '0'
  const digits = Math.max(0, 2 - Math.floor(Math.log10(Math.abs(value))))
  return value.toLocaleString('en-GB', { minimumFractionDigits: 0, maximumFractionDigits: Math.min(digits, 3) })
}

export function duration(seconds: number): Said {
  if (seconds === 0) return { figure: '0', unit: 's' }
  const size = Math.abs(seconds)
  if (size < 1e-3) return { figure: three(seconds * 1e6), unit: 'µs' }
  if (size < 1) return { figure: three(seconds * 1e3), unit: 'ms' }
  if (size < 120) return { figure: three(seconds), unit: 's' }
  if (size < 7200) return { figure: three(seconds / 60), unit: 'min' }
  if (size < 172800) return { figure: three(seconds / 3600), unit: 'h' }
  return { figure: three(seconds / 86400), unit: 'days' }
}

export function bytes(count: number, suffix = ''): Said {
  const steps: [number, string][] = [
    [1e12, 'TB'],
    [1e9, 'GB'],
    [1e6, 'MB'],
    [1e3, 'kB'],
  ]
  for (const [step, unit] of steps) if (Math.abs(count) >= step) return { figure: three(count / step), unit: unit + suffix }
  return { figure: three(count), unit: `B${suffix}` }
}

export function count(value: number, unit = ''): Said {
  if (Math.abs(value) >= 1e9) return { figure: three(value / 1e9), unit: `billion ${unit}`.trim() }
  if (Math.abs(value) >= 1e6) return { figure: three(value / 1e6), unit: `million ${unit}`.trim() }
  return { figure: Math.abs(value) >= 1000 ? Math.round(value).toLocaleString('en-GB') : three(value), unit }
}

/** Any figure by the unit the API gives it. */
export function said(value: number | null | undefined, unit: string): Said {
  if (value === null || value === undefined) return { figure: 'none', unit: '' }
  if (unit === 's') return duration(value)
  if (unit === 'B') return bytes(value)
  if (unit === 'B/s') return bytes(value, '/s')
  if (unit === 'share') return { figure: share(value), unit: '' }
  return count(value, unit)
}

export const text = (one: Said) => (one.unit ? `${one.figure} ${one.unit}` : one.figure)
export const share = (part: number) => `${(part * 100).toFixed(part >= 0.095 ? 0 : 1)}%`
/** A share of rows, which may be very small. */
export const rowShare = (part: number) => (part === 0 ? 'none' : part < 0.001 ? `1 in ${Math.round(1 / part).toLocaleString('en')}` : share(part))

/** "2.3×", or "as reference" within a tenth; empty without a reference. */
export function times(value: number | null | undefined, reference: number | null | undefined): string {
  if (reference === null || reference === undefined || value === null || value === undefined) return ''
  if (reference === 0) return value > 0 ? 'new' : 'same'
  const ratio = value / reference
  if (ratio >= 0.9 && ratio <= 1.1) return 'same'
  if (ratio > 9999) return '> 9,999×'
  return `${ratio >= 10 ? Math.round(ratio).toLocaleString('en-GB') : Number(ratio.toPrecision(2))}×`
}

const pad = (value: number) => String(value).padStart(2, '0')

export function clock(us: number, seconds = false): string {
  const at = new Date(us / 1000)
  return `${pad(at.getUTCHours())}:${pad(at.getUTCMinutes())}${seconds ? `:${pad(at.getUTCSeconds())}` : ''}`
}

export function day(us: number): string {
  return new Date(us / 1000).toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' })
}

export function ago(us: number, nowUs: number): string {
  return text(duration(Math.max(0, Math.round((nowUs - us) / 6e7) * 60))).replace('0 s', 'now')
}
