/** Windows on the time axis as they stand in addresses: ISO 8601 intervals, or durations that end now. */
export interface Span {
  from: number
  to: number
}

export const MINUTE = 60e6
export const HOUR = 60 * MINUTE
export const DAY = 24 * HOUR

const DURATION = /^P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?$/

export function lengthOf(duration: string): number | null {
  const match = DURATION.exec(duration)
  if (!match || duration === 'P') return null
  return Number(match[1] ?? 0) * DAY + Number(match[2] ?? 0) * HOUR + Number(match[3] ?? 0) * MINUTE
}

export function durationOf(length: number): string {
  const minutes = Math.max(1, Math.round(length / MINUTE))
  return minutes % 60 === 0 ? `PT${minutes / 60}H` : `PT${minutes}M`
}

export function spanOf(value: string, now: number): Span | null {
  const length = lengthOf(value)
  if (length !== null) return { from: now - length, to: now }
  const [from, to] = value.split('/').map((part) => Date.parse(part) * 1000)
  return Number.isFinite(from) && Number.isFinite(to) && to > from ? { from, to } : null
}

const iso = (us: number) => new Date(Math.round(us / 1e6) * 1000).toISOString().replace('.000', '')
export const textOf = (span: Span) => `${iso(span.from)}/${iso(span.to)}`
export const moved = (span: Span, by: number): Span => ({ from: span.from + by, to: span.to + by })

/** The same middle, another length; at least five minutes, at most forty days. */
export function widened(span: Span, factor: number): Span {
  const middle = (span.from + span.to) / 2
  const half = Math.min(20 * DAY, Math.max(2.5 * MINUTE, ((span.to - span.from) / 2) * factor))
  return { from: middle - half, to: middle + half }
}

/** The bump around a moment: the neighbouring steps that stay above the usual range, a little wider. */
export function bumpAround(at: number[], values: (number | null)[], high: (number | null)[], moment: number, step: number): Span {
  const index = Math.min(at.length - 1, Math.max(0, Math.floor((moment - at[0]) / step)))
  const over = (i: number) => values[i] !== null && high[i] !== null && values[i]! > high[i]!
  const near = [0, 1, -1, 2, -2, 3, -3].map((d) => index + d).find((i) => i >= 0 && i < at.length && over(i))
  if (near === undefined) return { from: moment - 30 * MINUTE, to: moment + 30 * MINUTE }
  let left = near
  let right = near
  const gap = 3
  for (let i = left; i >= 0 && left - i <= gap; i--) if (over(i)) left = i
  for (let i = right; i < at.length && i - right <= gap; i++) if (over(i)) right = i
  return { from: at[left], to: at[right] + step }
}
