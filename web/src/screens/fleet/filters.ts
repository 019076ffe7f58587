import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { useWindow } from '@/state/window'

export const NAMES = ['search', 'unusual', 'unlike', 'role', 'label', 'capture'] as const
export type Filters = Record<(typeof NAMES)[number], string>

/** What of the fleet is shown, held in the address. Words of a search have all to be found. */
export function useFilters() {
  const w = useWindow()
  const filters = computed(() => Object.fromEntries(NAMES.map((name) => [name, String(w.route.query[name] ?? '')])) as Filters)
  const fits = (cluster: string, line: Schemas['Line']) => matches(filters.value, cluster, line)
  const clear = () => w.change(Object.fromEntries(NAMES.map((name) => [name, undefined])))
  return { filters, fits, clear }
}

export function matches(filters: Filters, cluster: string, line: Schemas['Line']): boolean {
  const text = `${line.server} ${line.role} ${cluster} ${line.engine} ${line.engine_version} ${line.words} ${line.labels.join(' ')}`.toLowerCase()
  return (
    filters.search
      .toLowerCase()
      .split(/\s+/)
      .every((word) => text.includes(word)) &&
    (!filters.unusual || line.unusual) &&
    (!filters.unlike || line.unlike) &&
    (!filters.role || line.role === filters.role) &&
    (!filters.label || line.labels.includes(filters.label)) &&
    (!filters.capture || line.capture === filters.capture)
  )
}
