/** A trial's design as the API reads it; the figures are written with their units. */
export interface Arm {
  name: string
  settings?: Record<string, string | number | boolean>
  add_indexes?: { name?: string; table: string; columns: string[]; unique?: boolean }[]
  drop_indexes?: string[]
}

export interface Arrival {
  kind: string
  rate?: string
  workers?: number
  think?: string
  think_kind?: string
  think_most?: string
  times?: string[]
  order?: string
}

export interface Design {
  title: string
  question: string
  goal: { metric: string; at_most?: string; at_least?: string; statement?: number | null }
  guardrails?: { metric: string; worsen_at_most: string }[]
  target: { server?: string; sample?: string; postgresql?: { sample?: string } }
  workload: {
    arrival: Arrival
    statements: { sql: string; weight?: number }[]
  }
  arms: Arm[]
  run: { seconds: string; blocks: number; seed?: number; cold?: boolean }
}

/** What a trial's result holds, as the API gives it. */
export interface Ratio {
  ratio: number
  low: number
  high: number
  p_value: number
  outcome: string
}
export interface Candidate {
  arm: string
  sentence: string
  ratios: Record<string, Record<string, Ratio>>
}
export interface Interval {
  mean: number
  low: number
  high: number
  runs: number
}
export interface Result {
  kind?: string
  sentence?: string
  arms: { arm: string; goal: Record<string, Interval>; active_sessions: Record<string, number>; settings_in_force?: Record<string, string> }[]
  candidates: Candidate[]
  cautions: string[]
}

/** Which of the places that are offered a design names. */
export const placeOf = (design: Design | null) => {
  const target = design?.target ?? {}
  const kind = target.server ? 'server' : target.postgresql ? 'postgresql' : 'sample'
  return { kind, name: target.server ?? target.sample ?? target.postgresql?.sample ?? '' }
}

/** Documents of the API whose form this file describes. */
export const asDesign = (document: unknown) => document as Design
export const asResult = (document: unknown) => document as Result | null
