import type { Schemas } from '@/api/client'
import type { Column } from '@/parts/table'

type Line = Schemas['Line']

/** Columns of the Fleet; their widths are the same in every cluster, so that the servers stand under each other. */
export const COLUMNS: Column<Line>[] = [
  { key: 'server', title: '', width: '13%', value: (line) => line.server },
  { key: 'words', title: 'What is going on', width: '19%' },
  { key: 'load', title: '', unit: '', width: '6%', value: (line) => line.active_sessions.value },
  { key: 'load_gauge', title: 'Active sessions', width: '11%', value: (line) => line.active_sessions.value },
  { key: 'response', title: '', unit: 's', width: '7%', value: (line) => line.response_s.value },
  { key: 'response_gauge', title: 'Time per call', width: '9.5%', value: (line) => line.response_s.value },
  { key: 'peers', title: 'Among its peers', width: '10.5%', value: (line) => line.peer_distance },
  { key: 'trace', title: 'Last 24 hours', width: '10%' },
  { key: 'storage', title: 'Full in', unit: 's', width: '7%', value: (line) => (line.storage_days_left === null ? null : line.storage_days_left * 86400) },
  { key: 'capture', title: 'Capture', width: '7%', value: (line) => line.capture },
]
