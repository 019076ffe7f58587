import createClient, { type Middleware } from 'openapi-fetch'
import type { components, paths } from './schema'

/** The API, typed by its own paths (generated from OpenAPI): no answer's type is ever asserted. */
export type Schemas = components['schemas']

/** An error as a problem detail (RFC 9457); `field` names the part of the input that is wrong. */
export class Problem extends Error {
  constructor(
    readonly title: string,
    readonly detail: string,
    readonly field: string,
    readonly status: number,
  ) {
    super(detail)
  }
}

/** What every write from this browser repeats, what happens when it is no longer signed in, and when it has to confirm. */
export const session: { csrf_token: string; ended: () => unknown; confirm: () => Promise<boolean> } = {
  csrf_token: '',
  ended: () => undefined,
  confirm: async () => false,
}

const middleware: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET' && session.csrf_token) request.headers.set('x-csrf-token', session.csrf_token)
    return request
  },
  onError() {
    return new Problem('No answer', 'The application does not answer. Is it still running?', '', 0)
  },
}
export const api = createClient<paths>({ baseUrl: globalThis.location?.origin ?? 'http://localhost', fetch: (request) => fetch(request) })
api.use(middleware)

interface Outcome<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The answer to a request; a Problem is thrown where there is none. */
export async function answered<T>(request: Promise<Outcome<T>>): Promise<T> {
  let outcome: Outcome<T>
  try {
    outcome = await request
  } catch (error) {
    if (error instanceof Problem) throw error
    throw new Problem('No answer', 'What came back is not an answer of this application.', '', 200)
  }
  if (!outcome.response.ok) throw problemOf(outcome)
  return outcome.data as T
}

function problemOf({ error, response }: Outcome<unknown>): Problem {
  if (response.status === 401 && session.csrf_token) session.ended()
  const known = typeof error === 'object' && error !== null ? (error as Partial<Problem>) : {}
  return new Problem(known.title ?? 'Error', known.detail ?? response.statusText, known.field ?? '', response.status)
}

/** For bodies that are text, and for files. */
export const AS_TEXT = { headers: { 'content-type': 'text/plain' }, bodySerializer: String }
export const AS_FILE = { headers: { 'content-type': 'application/octet-stream' }, bodySerializer: (body: unknown) => body as BodyInit }

/** A query string from what is set; lists become repeated keys. */
export function query(parts: Record<string, string | number | string[] | undefined>): string {
  const search = new URLSearchParams()
  for (const [key, value] of Object.entries(parts)) {
    if (Array.isArray(value)) value.forEach((one) => search.append(key, one))
    else if (value !== undefined && value !== '') search.set(key, String(value))
  }
  return search.toString()
}
