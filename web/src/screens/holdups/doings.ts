/** What a session does in a lane, and how that is drawn; anything else is the wait event of one that waits. */
const DRAWN: Record<string, { token: string; hatched: boolean }> = {
  'idle in a transaction': { token: '--steel', hatched: true },
  working: { token: '--f-processor', hatched: false },
  'not seen': { token: '--rule-strong', hatched: true },
}
export const drawn = (doing: string) => DRAWN[doing] ?? { token: '--f-row-lock', hatched: false }
