import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import { answered, type Problem } from '@/api/client'

const WORKING_MS = 300
const REFRESH_MS = 10_000

/**
 * What the API answers to a question that may change (null: nothing is asked yet); the last answer stays while the next
 * is on its way. `working` turns true only after 300 ms. With `live`, it asks again every `everyMs`, ten seconds if not said.
 */
export function useAnswer<Q, T>(question: () => Q | null, ask: (question: Q) => Promise<{ data?: T; error?: unknown; response: Response }>, live: () => boolean = () => false, everyMs = REFRESH_MS) {
  const data: Ref<T | null> = shallowRef(null)
  const problem: Ref<Problem | null> = ref(null)
  const working = ref(false)
  let turn = 0

  async function again() {
    const asked = question()
    if (asked === null) return
    const mine = ++turn
    const timer = setTimeout(() => mine === turn && (working.value = true), WORKING_MS)
    try {
      const answer = await answered(ask(asked))
      if (mine === turn) {
        data.value = answer
        problem.value = null
      }
    } catch (error) {
      if (mine === turn) problem.value = error as Problem
    } finally {
      clearTimeout(timer)
      if (mine === turn) working.value = false
    }
  }

  watch(() => JSON.stringify(question()), again, { immediate: true })
  const interval = setInterval(() => live() && !document.hidden && again(), everyMs)
  onScopeDispose(() => {
    turn++
    clearInterval(interval)
  })
  return { data, problem, working, ask: again }
}

export interface Answer<T> {
  data: Ref<T | null>
  problem: Ref<Problem | null>
  working: Ref<boolean>
  ask: () => Promise<void>
}
