import type { Schemas } from '@/api/client'
import { duration, text } from '@/state/units'

export type Rule = Schemas['CaptureRule'] & { applies_to: string[] }
export const MODES = [
  { value: 'everything', text: 'everything' },
  { value: 'weighty', text: 'weighty statements only' },
  { value: 'reading', text: 'nothing new; what is recorded stays readable' },
]

/** What a rule records, in a few words. */
export function modeWords(rule: Rule): string {
  if (rule.mode === 'reading') return 'nothing new'
  const sessions = rule.sample ? `sessions each ${text(duration(rule.sample))}` : 'no sessions'
  const some = (rule.every_nth_session ?? 1) > 1 ? `, one in ${rule.every_nth_session}` : ''
  const executions = rule.threshold === null || rule.threshold === undefined ? 'no executions' : `executions from ${text(duration(rule.threshold))}`
  const what = rule.mode === 'weighty' ? `statements from ${text(duration(rule.weighty_from ?? 0.01))} a call` : 'all statements'
  return `${what}, ${sessions}${rule.sample ? some : ''}, ${executions}${rule.literals === 'kept' ? ' with their values' : ''}${rule.until ? `, until ${rule.until.slice(0, 16).replace('T', ' ')}` : ''}`
}

const UNITS: Record<string, number> = { us: 1e-6, µs: 1e-6, ms: 1e-3, s: 1, min: 60, h: 3600, days: 86400 }

/** Seconds from "100 ms"; undefined when it is no duration. */
export function seconds(written: string): number | undefined {
  const match = /^\s*([\d.]+)\s*(\S+)\s*$/.exec(written)
  const unit = match && UNITS[match[2]]
  return match && unit && Number.isFinite(Number(match[1])) ? Number((Number(match[1]) * unit).toPrecision(12)) : undefined
}
