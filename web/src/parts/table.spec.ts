import { describe, expect, it } from 'vitest'
import { inSight, ordered, sortOf, textOfSort, type Column } from './table'

interface Row {
  name: string
  time: number | null
}
const COLUMNS: Column<Row>[] = [
  { key: 'name', title: 'name', value: (row) => row.name },
  { key: 'time', title: 'time', unit: 's', value: (row) => row.time },
  { key: 'act', title: '' },
]
const ROWS: Row[] = [
  { name: 'b', time: 2 },
  { name: 'a', time: null },
  { name: 'c', time: 10 },
]
const names = (sort: string | null) =>
  ordered(ROWS, COLUMNS, sort === null ? null : sortOf(sort))
    .map((row) => row.name)
    .join('')

describe('tables', () => {
  it.each([
    [null, 'bac'],
    ['time', 'cba'],
    ['-up.time', 'bca'],
    ['-up.name', 'abc'],
    ['name', 'cba'],
    ['act', 'bac'],
    ['other', 'bac'],
  ])('sort by %s as %s', (sort, order) => {
    expect(names(sort)).toBe(order)
  })
  it('keep a sort in an address and read it back', () => {
    for (const text of ['time', '-up.time']) expect(textOfSort(sortOf(text))).toBe(text)
  })
  it('draw the rows in sight, and keep the height of the rest', () => {
    expect(inSight(1000, 30, 3000, 600)).toEqual({ from: 90, to: 130, before: 2700, after: 26100 })
    expect(inSight(5, 30, 0, 600)).toEqual({ from: 0, to: 5, before: 0, after: 0 })
    const end = inSight(100, 30, 99999, 600)
    expect(end.before + (end.to - end.from) * 30 + end.after).toBe(3000)
  })
})
