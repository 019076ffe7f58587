import { afterEach, describe, expect, it, vi } from 'vitest'
import { answered, api, AS_TEXT, Problem, query, session } from './client'

const answers = (status: number, body: string, type = 'application/json') =>
  vi.stubGlobal(
    'fetch',
    vi.fn(async () => new Response(body, { status, statusText: 'Bad gateway', headers: { 'content-type': type } })),
  )
const problemOf = (asked: Promise<unknown>) =>
  asked.then(
    () => null,
    (error: Problem) => [error.title, error.detail, error.field, error.status],
  )
const sent = () => vi.mocked(fetch).mock.calls.map(([request]) => request as Request)

describe('asking the API', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    session.csrf_token = ''
  })

  it('gives back what was answered', async () => {
    answers(200, '{"servers": 4}')
    expect(await answered(api.GET('/api/fleet'))).toEqual({ servers: 4 })
  })
  it('turns a problem detail into a problem that names its field', async () => {
    answers(422, '{"title": "The trial cannot be run", "detail": "goal: no unit", "field": "goal", "status": 422}', 'application/problem+json')
    expect(await problemOf(answered(api.POST('/api/trials', { body: {} })))).toEqual(['The trial cannot be run', 'goal: no unit', 'goal', 422])
  })
  it.each([
    [502, '<h1>gateway</h1>', ['Error', 'Bad gateway', '', 502]],
    [200, '<h1>not ours</h1>', ['No answer', 'What came back is not an answer of this application.', '', 200]],
  ])('says what it can of %d %s', async (status, body, problem) => {
    answers(status, body)
    expect(await problemOf(answered(api.GET('/api/fleet')))).toEqual(problem)
  })
  it('says when nothing answers', async () => {
    vi.stubGlobal(
      'fetch',
      vi.fn(async () => Promise.reject(new TypeError('refused'))),
    )
    expect((await problemOf(answered(api.GET('/api/fleet'))))?.[0]).toBe('No answer')
  })
  it('sends text as text, a body as JSON, lists as repeated keys', async () => {
    answers(200, '{}')
    await answered(api.POST('/api/plans/read', { body: 'SCAN loan', ...AS_TEXT }))
    await answered(api.PUT('/api/fleet/views', { body: { name: 'a', query: 'b' } }))
    await answered(api.GET('/api/ledger', { params: { query: { scope: 'desk-a', 'filter.user': ['a b', 'c'] } } }))
    const requests = sent()
    expect(await Promise.all(requests.slice(0, 2).map(async (one) => [await one.text(), one.headers.get('content-type')]))).toEqual([
      ['SCAN loan', 'text/plain'],
      ['{"name":"a","query":"b"}', 'application/json'],
    ])
    expect(requests[2]!.url.split('?')[1]).toBe('scope=desk-a&filter.user=a%20b&filter.user=c')
  })
  it('repeats its token with every write, and with no read', async () => {
    answers(200, '{}')
    session.csrf_token = 'own'
    await answered(api.GET('/api/fleet'))
    await answered(api.PUT('/api/fleet/views', { body: { name: 'a', query: 'b' } }))
    expect(sent().map((one) => one.headers.get('x-csrf-token'))).toEqual([null, 'own'])
  })
  it('leaves out of a query what is not set', () => {
    expect(query({ scope: 'desk-a', 'filter.user': ['a b', 'c'], view: undefined, by: '' })).toBe('scope=desk-a&filter.user=a+b&filter.user=c')
  })
})
