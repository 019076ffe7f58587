import { afterEach, describe, expect, it, vi } from 'vitest'
import { get, post, Problem, query } from './client'

const answers = (status: number, body: string) => vi.stubGlobal('fetch', vi.fn(async () => new Response(body, { status, statusText: 'Bad gateway' })))
const problemOf = (asked: Promise<unknown>) => asked.then(() => null, (error: Problem) => [error.title, error.detail, error.field, error.status])

describe('asking the API', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('gives back what was answered', async () => {
    answers(200, '{"servers": 4}')
    expect(await get('fleet')).toEqual({ servers: 4 })
  })
  it('turns a problem detail into a problem that names its field', async () => {
    answers(422, '{"title": "The trial cannot be run", "detail": "goal: no unit", "field": "goal", "status": 422}')
    expect(await problemOf(post('trials', {}))).toEqual(['The trial cannot be run', 'goal: no unit', 'goal', 422])
  })
  it.each([
    [502, '<h1>gateway</h1>', ['Error', 'Bad gateway', '', 502]],
    [200, '<h1>not ours</h1>', ['No answer', 'What came back is not an answer of this application.', '', 200]],
  ])('says what it can of %d %s', async (status, body, problem) => {
    answers(status, body)
    expect(await problemOf(get('fleet'))).toEqual(problem)
  })
  it('says when nothing answers', async () => {
    vi.stubGlobal('fetch', vi.fn(async () => Promise.reject(new TypeError('refused'))))
    expect((await problemOf(get('fleet')))?.[0]).toBe('No answer')
  })
  it('sends text as text and nothing as an empty object', async () => {
    answers(200, '{}')
    await post('plans/read', 'SCAN loan', 'text/plain')
    await post('trials/1/stop')
    const sent = vi.mocked(fetch).mock.calls.map(([, init]) => [init?.body, (init?.headers as Record<string, string>)['content-type']])
    expect(sent).toEqual([['SCAN loan', 'text/plain'], ['{}', 'application/json']])
  })
  it('repeats the key of a list and leaves out what is not set', () => {
    expect(query({ scope: 'desk-a', 'filter.user': ['a b', 'c'], view: undefined, by: '' })).toBe('scope=desk-a&filter.user=a+b&filter.user=c')
  })
})
