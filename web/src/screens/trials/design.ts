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

/** Whole numbers from low to high, one of values, or what a column has by the server's statistics. */
export interface Parameter {
  low?: number
  high?: number
  skew?: number
  values?: (string | number | null)[]
  column?: string
}

export interface Statement {
  sql: string
  weight?: number
  parameters?: Parameter[]
  name?: string
  steps?: { sql: string }[]
  values_of?: { server: string; statement: string }
}

export interface Target {
  server?: string
  sample?: string
  postgresql?: { sample?: string; server?: string }
  account?: string
  player?: string
  database?: string
  confirm?: string
  keep_writes?: boolean
}

export interface Design {
  title: string
  question: string
  follows?: number | null
  goal: { metric: string; at_most?: string; at_least?: string; statement?: number | null }
  expects?: { ratio: number; low: number; high: number; source: string } | null
  guardrails?: { metric: string; worsen_at_most: string }[]
  target: Target
  workload: {
    arrival: Arrival
    standard?: string
    statements: Statement[]
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
  interval?: string
  sentence: string
  ratios: Record<string, Record<string, Ratio>>
}
export interface Interval {
  mean: number
  low: number
  high: number
  runs: number
}
/** Statements that have another plan in an arm than in the first. */
export interface ArmPlans {
  sentence: string
  first: string
  other: { statement: number; arm: string; sentence: string }[]
}
export interface CheckResult {
  name: string
  asked: number
  held: number
  words: string
}
export interface MixShare {
  name: string
  kept: boolean
  words: string
}
export interface Result {
  notes?: string[]
  checks?: CheckResult[]
  mix?: MixShare[]
  plans?: ArmPlans | null
  kind?: string
  sentence?: string
  arms: { arm: string; goal: Record<string, Interval>; active_sessions: Record<string, number>; settings_in_force?: Record<string, string> }[]
  candidates: Candidate[]
  cautions: string[]
}

/** Which of the places that are offered a design names. */
export const placeOf = (design: Design | null) => {
  const target = design?.target ?? {}
  const kind = target.server ? 'server' : target.postgresql?.server ? 'made' : target.postgresql ? 'postgresql' : 'sample'
  return { kind, name: target.server ?? target.sample ?? target.postgresql?.server ?? target.postgresql?.sample ?? '' }
}

/** A target for one of the places that are offered; what is known of a lab server's accounts is kept. */
export const targetAt = (kind: string, name: string, before: Target): Target => {
  if (kind === 'postgresql') return { postgresql: { sample: name } }
  if (kind === 'made') return { postgresql: { server: name } }
  return kind === 'server' ? { ...before, postgresql: undefined, sample: undefined, server: name } : { sample: name }
}

/** How many values a statement has: the highest of $1, $2 …, or its question marks. */
export const valuesOf = (sql: string) => {
  const plain = sql.replace(/'(?:[^']|'')*'/g, "''")
  const numbered = [...plain.matchAll(/[$?](\d+)/g)].map((found) => Number(found[1]))
  return numbered.length ? Math.max(...numbered) : (plain.match(/\?/g)?.length ?? 0)
}

/** "1 to 30000", "of loan.patron" for what the statistics of a column have, or the values one after the other. */
export const parameterWords = (one: Parameter | undefined) => (!one ? '' : one.column ? `of ${one.column}` : one.values?.length ? one.values.join(', ') : `${one.low} to ${one.high}`)
export const parameterOf = (words: string): Parameter => {
  const range = /^\s*(-?\d+)\s*(?:to|\.\.|–)\s*(-?\d+)\s*$/.exec(words)
  if (range) return { low: Number(range[1]), high: Number(range[2]) }
  const column = /^\s*of\s+(\S+\.\S+)\s*$/.exec(words)
  if (column) return { column: column[1] }
  const values = words.split(',').map((one) => one.trim())
  return { values: values.map((one) => (/^-?\d+$/.test(one) ? Number(one) : one)) }
}

/** A ratio in three digits. */
export const three = (value: number) => Number(value.toPrecision(3)).toString()
/** The end of a scale of ratios, a power of two, that holds all of them and what they are the inverse of. */
export const scaleEnd = (ratios: (number | null)[]) => Math.min(64, 2 ** Math.ceil(Math.log2(Math.max(2, ...ratios.flatMap((one) => (one ? [one, 1 / one] : []))))))

/** Documents of the API whose form this file describes. */
export const asDesign = (document: unknown) => document as Design
export const asResult = (document: unknown) => document as Result | null
