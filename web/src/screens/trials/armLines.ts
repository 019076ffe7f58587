/** Lines of arms, in their order: twelve pairs of colour and dash, so that they stay apart without colour too. */
const STROKES = ['var(--f-processor)', 'var(--f-data-read)', 'var(--petrol)', 'var(--brass)']
const DASHES = ['', '6 3', '2 3']
export const armLine = (place: number) => ({ stroke: STROKES[place % STROKES.length], dash: DASHES[(place + Math.floor(place / 12)) % DASHES.length] })

/** A figure by second, and how it is drawn. */
export interface Line {
  name: string
  stroke: string
  dash: string
  values: (number | null)[]
}
