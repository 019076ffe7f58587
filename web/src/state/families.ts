/** Wait families in the fixed order of a stack, and which are hatched. */
export const FAMILIES = ['processor', 'data read', 'data write', 'log write', 'row lock', 'object lock', 'internal latch', 'memory', 'temporary space', 'client', 'replication', 'other'] as const

const HATCHED = new Set<string>(['data write', 'object lock', 'temporary space', 'replication'])
const SEQUENCE = ['data read', 'internal latch', 'log write', 'client', 'row lock', 'memory', 'processor', 'data write', 'object lock', 'temporary space', 'replication', 'other']

export const isFamily = (key: string) => (FAMILIES as readonly string[]).includes(key)

/** The CSS variable of an account's colour: its own for a wait family, else by its place in the list. */
export function tokenOf(key: string, place: number): string {
  const family = isFamily(key) ? key : SEQUENCE[place % SEQUENCE.length]
  return `--f-${family.replace(' ', '-')}`
}
export function isHatched(key: string, place: number): boolean {
  return HATCHED.has(isFamily(key) ? key : SEQUENCE[place % SEQUENCE.length])
}
/** The place of a family in a stack. */
export const placeOf = (key: string) => Math.max(0, (FAMILIES as readonly string[]).indexOf(key))
export const colourOf = (key: string, place: number) => `var(${tokenOf(key, place)})`
