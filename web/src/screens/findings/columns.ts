import type { Schemas } from '@/api/client'
import type { Column } from '@/parts/table'
import { rankOf } from '@/state/grades'

export type Found = Schemas['FoundOn']

/** What can be won back, in active sessions; null for what costs no time yet. */
const sessions = (one: Found) => (one.finding.impact.unit === 'sessions' && one.finding.share > 0 ? one.finding.impact.value : null)
/** Seconds until something ends; null where nothing does. */
const left = (one: Found) => (one.finding.impact.unit === 's' ? one.finding.impact.value : null)

export const COLUMNS: Column<Found>[] = [
  { key: 'grade', title: 'grade', value: (one) => rankOf(one.finding.grade), width: '70px' },
  { key: 'title', title: 'finding', value: (one) => one.finding.title, wide: true },
  { key: 'server', title: 'server', value: (one) => one.server, width: '100px' },
  { key: 'share', title: 'of its time', unit: 'share', value: (one) => one.finding.share || null, missing: '–', width: '82px' },
  { key: 'sessions', title: 'active sessions', unit: 'sessions', value: sessions, missing: '–' },
  { key: 'left', title: 'time left', unit: 's', value: left, missing: '–', width: '84px' },
  { key: 'confidence', title: 'confidence', unit: 'share', value: (one) => one.finding.confidence },
  { key: 'since', title: 'since', value: (one) => one.since_us, width: '92px' },
  { key: 'cause', title: 'cause', value: (one) => one.finding.cause },
  { key: 'cluster', title: 'cluster', value: (one) => one.cluster },
  { key: 'state', title: 'state', value: (one) => one.state },
]
export const FIRST = ['grade', 'title', 'server', 'share', 'left', 'since']

/** Which are shown by where they are in their life. */
export const SHOWN: Record<string, (one: Found) => boolean> = {
  open: (one) => one.state !== 'over' && one.state !== 'set aside',
  new: (one) => one.state === 'new' || one.state === 'back',
  noted: (one) => one.state === 'noted',
  aside: (one) => one.state === 'set aside',
  over: (one) => one.state === 'over',
  all: () => true,
}

/** What follows from a root, on the same server; of a root that is over, what is over. */
export const follows = (all: readonly Found[], root: Found) =>
  all.filter(
    (one) =>
      [root.server, ...root.also].includes(one.server) &&
      one.finding.root === root.finding.cause &&
      one.finding.root_subject === root.finding.subject.name &&
      (one.state === 'over') === (root.state === 'over'),
  )
