/** A line of steps over time, broken where nothing is known. */
export function stepLine(at: number[], values: (number | null)[], step: number, x: (us: number) => number, y: (value: number) => number): string {
  let path = ''
  let pen = false
  at.forEach((t, i) => {
    const value = values[i] ?? null
    if (value !== null) path += `${pen ? 'L' : 'M'}${x(t).toFixed(1)},${y(value).toFixed(1)}H${x(t + step).toFixed(1)}`
    pen = value !== null
  })
  return path
}

/** The area between two series, where both are known. */
export function bandPath(at: number[], low: (number | null)[], high: (number | null)[], x: (us: number) => number, y: (value: number) => number): string {
  const rows = at.map((t, i) => [t, low[i] ?? null, high[i] ?? null] as const).filter((row): row is readonly [number, number, number] => row[1] !== null && row[2] !== null)
  if (!rows.length) return ''
  const points = [...rows.map(([t, , h]) => `${x(t).toFixed(1)},${y(h).toFixed(1)}`), ...[...rows].reverse().map(([t, l]) => `${x(t).toFixed(1)},${y(l).toFixed(1)}`)]
  return `M${points.join('L')}Z`
}
