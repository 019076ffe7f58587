/** A trial's design as the API reads it; the figures are written with their units. */
export interface Arm {
  name: string
  settings?: Record<string, string | number | boolean>
  add_indexes?: { name?: string; table: string; columns: string[]; unique?: boolean }[]
  drop_indexes?: string[]
}

export interface Design {
  title: string
  question: string
  goal: { metric: string; at_most?: string; at_least?: string; statement?: number | null }
  guardrails?: { metric: string; worsen_at_most: string }[]
  target: { server?: string; sample?: string }
  workload: {
    arrival: { kind: string; rate?: string; workers?: number; think?: string }
    statements: { sql: string; weight?: number }[]
  }
  arms: Arm[]
  run: { seconds: string; blocks: number; seed?: number }
}

/** What an arm changes, in words. */
export function changesOf(arm: Arm): string {
  const parts = [
    ...Object.entries(arm.settings ?? {}).map(([name, value]) => `${name} = ${value}`),
    ...(arm.add_indexes ?? []).map((index) => `index on ${index.table} (${index.columns.join(', ')})`),
    ...(arm.drop_indexes ?? []).map((name) => `without index ${name}`),
  ]
  return parts.length ? parts.join('; ') : 'as it is'
}
