import type { Schemas } from '@/api/client'

export type Rule = Schemas['CaptureRule'] & { applies_to: string[] }
export const MODES = [
  { value: 'everything', text: 'everything' },
  { value: 'weighty', text: 'weighty statements only' },
  { value: 'reading', text: 'nothing new; what is recorded stays readable' },
]

const UNITS: Record<string, number> = { us: 1e-6, µs: 1e-6, ms: 1e-3, s: 1, min: 60, h: 3600, days: 86400 }

/** Seconds from "100 ms"; undefined when it is no duration. */
export function seconds(written: string): number | undefined {
  const match = /^\s*([\d.]+)\s*(\S+)\s*$/.exec(written)
  const unit = match && UNITS[match[2]]
  return match && unit && Number.isFinite(Number(match[1])) ? Number((Number(match[1]) * unit).toPrecision(12)) : undefined
}
