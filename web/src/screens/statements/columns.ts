import type { Schemas } from '@/api/client'
import type { Column } from '@/parts/table'

type Row = Schemas['StatementRow']
const family = (name: string): Column<Row> => ({ key: `f.${name}`, title: `${name} per call`, unit: 's', value: (r) => (r.calls ? (r.families_per_call[name] ?? 0) : null) })

/** Every column of the statements table; one line adds one. */
export const COLUMNS: Column<Row>[] = [
  { key: 'text', title: 'Statement', wide: true, code: true, value: (r: Row) => r.text },
  { key: 'share', title: 'share of time', unit: 'share', bar: true, value: (r: Row) => r.share },
  { key: 'time', title: 'time', unit: 's', value: (r: Row) => r.time_s },
  { key: 'calls', title: 'calls', unit: '', value: (r: Row) => r.calls },
  { key: 'rate', title: 'calls/s', unit: '', value: (r: Row) => r.calls_per_s, reference: (r: Row) => r.reference_calls_per_s?.value },
  { key: 'each', title: 'time per call', unit: 's', value: (r: Row) => r.time_per_call_s, missing: 'none finished', reference: (r: Row) => r.reference_time_per_call_s?.value },
  { key: 'examined', title: 'examined per row', unit: '', value: (r: Row) => r.examined_per_row, reference: (r: Row) => r.reference_examined_per_row?.value },
  { key: 'running', title: 'still running', unit: '', value: (r: Row) => r.unfinished },
  { key: 'running_s', title: 'age of those', unit: 's', value: (r: Row) => r.unfinished_s },
  { key: 'difference', title: 'per call', value: (r: Row) => r.difference },
  { key: 'returned', title: 'rows per call', unit: '', value: (r: Row) => r.rows_returned_per_call },
  { key: 'examined_call', title: 'examined per call', unit: '', value: (r: Row) => r.rows_examined_per_call },
  { key: 'pages', title: 'pages read per call', unit: '', value: (r: Row) => r.pages_read_per_call },
  { key: 'log', title: 'log per call', unit: 'B', value: (r: Row) => r.log_bytes_per_call },
  { key: 'temporary', title: 'temporary pages per call', unit: '', value: (r: Row) => r.temporary_pages_per_call },
  { key: 'planning', title: 'planning per call', unit: 's', value: (r: Row) => r.planning_per_call_s },
  { key: 'spread', title: 'spread of time', unit: 's', value: (r: Row) => r.spread_s },
  { key: 'greatest', title: 'longest so far', unit: 's', value: (r: Row) => r.greatest_s },
  { key: 'errors', title: 'errors', unit: '', value: (r: Row) => r.errors },
  { key: 'family', title: 'mostly', value: (r: Row) => r.main_family },
  { key: 'services', title: 'services', value: (r: Row) => r.services.join(', ') },
  { key: 'users', title: 'users', value: (r: Row) => r.users.join(', ') },
  { key: 'kind', title: 'kind', value: (r: Row) => r.kind },
  ...['processor', 'data read', 'log write', 'row lock', 'temporary space', 'client'].map(family),
]
export const FIRST = ['share', 'rate', 'each', 'examined', 'family', 'services']
