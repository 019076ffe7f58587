/** A column of a table: what it shows of a row, in which unit, and what it is compared with. */
export interface Column<Row> {
  key: string
  title: string
  /** Given for figures: they are aligned right and shown in the unit a person would say. */
  unit?: string
  value?: (row: Row) => number | string | null | undefined
  reference?: (row: Row) => number | null | undefined
  /** A bar under the figure, scaled to the column's highest. */
  bar?: boolean
  /** Takes what width is left, is cut at its end, and is always shown. */
  wide?: boolean
  /** SQL or code. */
  code?: boolean
  width?: string
  missing?: string
}

export interface Sort {
  key: string
  down: boolean
}

/** A sort as it stands in an address: "time", or "-up.time" for the least first. */
export const sortOf = (text: string): Sort => ({ key: text.replace('-up.', ''), down: !text.startsWith('-up.') })
export const textOfSort = (sort: Sort) => (sort.down ? sort.key : `-up.${sort.key}`)

/** Rows in the order of a column; what is not known stands last, whichever way. Without a sort, as they came. */
export function ordered<Row>(rows: readonly Row[], columns: readonly Column<Row>[], sort: Sort | null): readonly Row[] {
  const value = columns.find((one) => one.key === sort?.key)?.value
  if (!sort || !value) return rows
  const sign = sort.down ? -1 : 1
  return [...rows].sort((a, b) => {
    const x = value(a) ?? null
    const y = value(b) ?? null
    if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
    return sign * (typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y)))
  })
}

/** Which rows are drawn: those in sight and some around them; `before` and `after` are the heights of the rest. */
export function inSight(count: number, row: number, top: number, height: number, around = 10) {
  const from = Math.max(0, Math.min(count, Math.floor(top / row) - around))
  const to = Math.min(count, from + Math.ceil(height / row) + 2 * around)
  return { from, to, before: from * row, after: (count - to) * row }
}
