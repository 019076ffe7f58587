import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import { get, Problem } from '@/api/client'

const WORKING_MS = 300
const REFRESH_MS = 10_000

/**
 * What the API answers to a path that may change; the last answer stays while the next is on its way.
 * `working` turns true only after 300 ms. With `live`, it asks again every ten seconds.
 */
export function useAnswer<T>(path: () => string | null, live: () => boolean = () => false) {
  const data = shallowRef<T | null>(null)
  const problem: Ref<Problem | null> = ref(null)
  const working = ref(false)
  let turn = 0

  async function ask() {
    const wanted = path()
    if (wanted === null) return
    const mine = ++turn
    const timer = setTimeout(() => mine === turn && (working.value = true), WORKING_MS)
    try {
      const answer = await get<T>(wanted)
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

  watch(path, ask, { immediate: true })
  const interval = setInterval(() => live() && !document.hidden && ask(), REFRESH_MS)
  onScopeDispose(() => {
    turn++
    clearInterval(interval)
  })
  return { data, problem, working, ask }
}

export type Answer<T> = ReturnType<typeof useAnswer<T>>
