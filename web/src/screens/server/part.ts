import { computed, ref } from 'vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

interface Question {
  server: string
  query: ReturnType<typeof useWindow>['asked']['value']
}

/** A part of one server: what the API answers of it, and the rows of that whose name holds what is searched for. */
export function useServerPart<T, Row>(ask: (question: Question) => Promise<{ data?: T; error?: unknown; response: Response }>, rowsOf: (data: T) => readonly Row[], nameOf: (row: Row) => string) {
  const w = useWindow()
  const answer = useAnswer(
    () => ({ server: String(w.route.params.server), query: w.asked.value }),
    ask,
    () => w.following.value,
  )
  const search = ref('')
  const every = computed(() => (answer.data.value ? rowsOf(answer.data.value) : []))
  const rows = computed(() => every.value.filter((row) => nameOf(row).toLowerCase().includes(search.value.toLowerCase())))
  return { answer, search, rows }
}
