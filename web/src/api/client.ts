import type { components } from './schema'

export type Schemas = components['schemas']

/** A problem detail (RFC 9457) as the application answers it. */
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

/** What every write from this browser repeats, and what happens when it is signed in no more. */
export const session = { guard: '', ended: () => {} }

async function request<T>(method: string, path: string, body?: unknown, type = 'application/json'): Promise<T> {
  let response: Response
  try {
    const content = body === undefined ? undefined : type === 'application/json' ? JSON.stringify(body) : body instanceof Blob ? body : String(body)
    response = await fetch(`/api/${path}`, { method, body: content, headers: { ...(content && { 'content-type': type }), ...(method !== 'GET' && session.guard && { 'x-guard': session.guard }) } })
  } catch {
    throw new Problem('No answer', 'The application does not answer. Is it still running?', '', 0)
  }
  if (!response.ok) {
    const problem = await response.json().catch(() => ({}))
    if (response.status === 401 && session.guard) session.ended()
    throw new Problem(problem.title ?? 'Error', problem.detail ?? response.statusText, problem.field ?? '', response.status)
  }
  if (response.status === 204) return undefined as T
  return response.json().catch(() => {
    throw new Problem('No answer', 'What came back is not an answer of this application.', '', response.status)
  }) as Promise<T>
}

export const get = <T>(path: string) => request<T>('GET', path)
export const put = <T>(path: string, body: unknown, type?: string) => request<T>('PUT', path, body, type)
export const patch = <T>(path: string, body: unknown) => request<T>('PATCH', path, body)
export const remove = (path: string) => request<void>('DELETE', path)
export const post = <T>(path: string, body?: unknown, type?: string) => request<T>('POST', path, body ?? {}, type)

/** A query string from what is set; lists become repeated keys. */
export function query(parts: Record<string, string | number | string[] | undefined>): string {
  const search = new URLSearchParams()
  for (const [key, value] of Object.entries(parts)) {
    if (Array.isArray(value)) value.forEach((one) => search.append(key, one))
    else if (value !== undefined && value !== '') search.set(key, String(value))
  }
  return search.toString()
}
