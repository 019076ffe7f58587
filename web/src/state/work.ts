import { ref, type Ref } from 'vue'
import { session, type Problem } from '@/api/client'

/** One piece of work at a time: whether it goes on, and what was wrong with the last. */
export function useWork() {
  const problem: Ref<Problem | null> = ref(null)
  const busy = ref(false)
  async function run(job: () => Promise<unknown>): Promise<boolean> {
    busy.value = true
    problem.value = null
    try {
      await job()
      return true
    } catch (error) {
      const found = error as Problem
      if (found.field === 'confirm' && (await session.confirm())) return run(job)
      problem.value = found
      return false
    } finally {
      busy.value = false
    }
  }
  const wrong = (field: string) => (problem.value?.field === field ? false : null)
  return { problem, busy, run, wrong }
}

/** Words between commas, without doubles. */
export const words = (text: string) => [
  ...new Set(
    text
      .split(',')
      .map((one) => one.trim())
      .filter(Boolean),
  ),
]
