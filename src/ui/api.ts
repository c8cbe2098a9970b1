/** What a call that was refused says: the problem document of RFC 9457. */
export interface ProblemDocument {
  readonly status: number
  readonly title: string
  readonly detail: string
  readonly problems?: readonly { code: string; path: string; message: string }[]
  readonly review?: readonly { level: 'error' | 'warning'; code: string; path: string; message: string }[]
}

/** A refused call. */
export class Refusal extends Error {
  override readonly name = 'Refusal'

  constructor(readonly problem: ProblemDocument) {
    super(problem.problems?.length ? problem.problems.map((p) => p.message).join(' ') : problem.detail)
  }
}

/** Calls the application's API. @throws Refusal with the problem document, also when the server cannot be reached */
export function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal, headers: Readonly<Record<string, string>> = {}): Promise<T> {
  return answer(path, {
    method,
    signal,
    headers: { ...headers, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
}

/** Sends a file as it is. @throws Refusal as `call` does */
export function upload<T>(method: string, path: string, file: File): Promise<T> {
  return answer(path, { method, body: file, headers: { 'content-type': 'application/octet-stream' } })
}

async function answer<T>(path: string, init: RequestInit): Promise<T> {
  const response = await fetch(path, init).catch((error: unknown) => {
    if (init.signal?.aborted) throw error
    throw new Refusal({ status: 0, title: 'Not reached', detail: 'Rappel cannot be reached. Nothing was changed; your edits are still here.' })
  })
  if (response.status === 204) return undefined as T
  const result: unknown = await response.json().catch((error: unknown) => {
    if (response.ok) throw error // cut off half-way, as when the call was given up
    return null
  })
  if (!response.ok) throw new Refusal((result as ProblemDocument | null) ?? { status: response.status, title: 'Error', detail: `The server answered ${response.status}.` })
  return result as T
}
