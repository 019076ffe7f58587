import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'
import { useAnswer } from './fetching'
import { Problem } from '@/api/client'

const get = vi.fn()
/** An answer as the client gives it. */
const request = async () => ({ data: await get(), response: new Response() })

/** A promise that is settled by hand. */
function later<T>() {
  let settle!: (value: T) => void
  let fail!: (error: unknown) => void
  const promise = new Promise<T>((yes, no) => ([settle, fail] = [yes, no]))
  return { promise, settle, fail }
}
const calm = async () => {
  await nextTick()
  for (let i = 0; i < 8; i++) await Promise.resolve()
}

describe('answers of the API', () => {
  let scope: ReturnType<typeof effectScope>
  beforeEach(() => {
    vi.useFakeTimers()
    vi.stubGlobal('document', { hidden: false })
    get.mockReset()
    scope = effectScope()
  })
  afterEach(() => {
    scope.stop()
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })

  it('an answer that comes late never replaces a newer one', async () => {
    const first = later<string>()
    const second = later<string>()
    get.mockReturnValueOnce(first.promise).mockReturnValueOnce(second.promise)
    const path = ref('one')
    const answer = scope.run(() => useAnswer(() => path.value, request))!
    path.value = 'two'
    await nextTick()
    second.settle('new')
    await calm()
    first.settle('old')
    await calm()
    expect(answer.data.value).toBe('new')
    expect(answer.working.value).toBe(false)
  })

  it('keeps the last answer while a problem is shown, and drops the problem with the next answer', async () => {
    get.mockResolvedValueOnce('good').mockRejectedValueOnce(new Problem('Busy', 'wait', '', 503))
    const answer = scope.run(() => useAnswer(() => 'x', request))!
    await calm()
    await answer.ask()
    expect([answer.data.value, answer.problem.value?.title]).toEqual(['good', 'Busy'])
    get.mockResolvedValueOnce('better')
    await answer.ask()
    expect([answer.data.value, answer.problem.value]).toEqual(['better', null])
  })

  it('says that it works only after 300 ms', async () => {
    const slow = later<string>()
    get.mockReturnValueOnce(slow.promise)
    const answer = scope.run(() => useAnswer(() => 'x', request))!
    vi.advanceTimersByTime(299)
    expect(answer.working.value).toBe(false)
    vi.advanceTimersByTime(2)
    expect(answer.working.value).toBe(true)
    slow.settle('done')
    await calm()
    expect(answer.working.value).toBe(false)
  })

  it('asks again while live and seen, and no more once the screen is left', async () => {
    get.mockResolvedValue('x')
    const live = ref(true)
    scope.run(() =>
      useAnswer(
        () => 'x',
        request,
        () => live.value,
      ),
    )
    vi.advanceTimersByTime(30_000)
    expect(get).toHaveBeenCalledTimes(4)
    live.value = false
    vi.advanceTimersByTime(30_000)
    expect(get).toHaveBeenCalledTimes(4)
    live.value = true
    scope.stop()
    vi.advanceTimersByTime(30_000)
    expect(get).toHaveBeenCalledTimes(4)
  })

  it('asks nothing for an address that has none yet', () => {
    scope.run(() => useAnswer(() => null, request))
    expect(get).not.toHaveBeenCalled()
  })
})
