import { DAY, HOUR, MINUTE } from '@/state/span'

const SECOND = MINUTE / 60
const STEPS = [5 * SECOND, 10 * SECOND, 30 * SECOND, MINUTE, 2 * MINUTE, 5 * MINUTE, 15 * MINUTE, 30 * MINUTE, HOUR, 3 * HOUR, 6 * HOUR, DAY, 2 * DAY]

/** Moments for the marks of a time axis, at most `most` of them, on whole steps. */
export function timeTicks(from: number, to: number, most: number): number[] {
  const step = STEPS.find((one) => (to - from) / one <= most) ?? 7 * DAY
  const first = Math.ceil(from / step) * step
  return Array.from({ length: Math.max(0, Math.floor((to - first) / step) + 1) }, (_, i) => first + i * step)
}

/** Two to four round values from nothing to the top of a scale. */
export function valueTicks(top: number): number[] {
  const rough = top / 3
  const power = 10 ** Math.floor(Math.log10(Math.max(rough, 1e-12)))
  const step = [1, 2, 5, 10].map((one) => one * power).find((one) => one >= rough) ?? power
  return Array.from({ length: Math.floor(top / step + 1e-9) + 1 }, (_, i) => Number((i * step).toPrecision(3)))
}
