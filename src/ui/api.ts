import { must } from '@/core/must'
import type { Use } from '@/store/design/mentions'

/** What a call that was refused says: the problem document of RFC 9457. */
export interface ProblemDocument {
  readonly status: number
  readonly title: string
  readonly detail: string
  readonly problems?: readonly { code: string; path: string; message: string }[]
  /** Who saved a draft in the meantime. */
  readonly savedBy?: string | null
  /** What uses what was to be removed or renamed. */
  readonly uses?: readonly Use[]
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

/** Changes something, where `ifMatch` is given only if it is still as that entity tag says (RFC 9110 section 13.1.1); answers it with its new tag. @throws Refusal as `call` does */
export async function change<T>(path: string, body: unknown, ifMatch?: string): Promise<{ answer: T; etag: string | null }> {
  let etag: string | null = null
  const headers = { 'content-type': 'application/json', ...(ifMatch ? { 'if-match': ifMatch } : {}) }
  const init = { method: 'PATCH', headers, body: JSON.stringify(body) }
  return { answer: await answer<T>(path, init, false, (given) => (etag = given.get('etag'))), etag }
}

/** Sends a file as it is. @throws Refusal as `call` does */
export function upload<T>(method: string, path: string, file: File): Promise<T> {
  return answer(path, { method, body: file, headers: { 'content-type': 'application/octet-stream' } })
}

/** Why somebody has to say again who they are: the deed is delicate, or their session has ended. */
export type AskedBecause = 'delicate' | 'session ended'

type Ask = (because: AskedBecause) => Promise<boolean>
let ask: Ask | null = null

/** Says how to ask for the password over the page; answers how to say no more. While it is asked, the call that needs it waits, and goes on after. */
export function onPasswordAsked(how: Ask): () => void {
  ask = how
  return () => {
    if (ask === how) ask = null
  }
}

/** Whether a call that was refused may be made again, now that its caller said who they are. */
async function mayTryAgain(path: string, { status, problems }: ProblemDocument): Promise<boolean> {
  if (!ask || path.startsWith('/api/session')) return false
  if (status === 401) return ask('session ended')
  return problems?.[0]?.code === 'password again' && ask('delicate')
}

async function answer<T>(path: string, init: RequestInit, isAgain = false, onHeaders?: (headers: Headers) => void): Promise<T> {
  const response = await fetch(path, init).catch((error: unknown) => {
    if (init.signal?.aborted) throw error
    throw new Refusal({ status: 0, title: 'Not reached', detail: 'Rappel cannot be reached. Nothing was changed; your edits are still here.' })
  })
  if (response.ok) onHeaders?.(response.headers)
  if (response.status === 204) return undefined as T
  const result: unknown = await response.json().catch((error: unknown) => {
    if (response.ok) throw error // cut off half-way, as when the call was given up
    return null
  })
  if (!response.ok) {
    const problem = (result as ProblemDocument | null) ?? { status: response.status, title: 'Error', detail: `The server answered ${response.status}.` }
    if (!isAgain && (await mayTryAgain(path, problem))) return answer(path, init, true, onHeaders)
    throw new Refusal(problem)
  }
  return result as T
}

/**
 * Calls for long work, with JSON or a file, and is told how much of it is done, from 0 to 1. Aborting calls it off.
 * @throws Refusal as `call` does
 */
export async function watch<T>(path: string, body: unknown, signal: AbortSignal, onProgress: (done: number) => void): Promise<T> {
  const isFile = body instanceof Blob
  const type = isFile ? 'application/octet-stream' : 'application/json'
  const response = await fetch(path, { method: 'POST', signal, headers: { 'content-type': type, accept: 'application/x-ndjson' }, body: isFile ? body : JSON.stringify(body) })
  if (!response.ok || !response.body) throw new Refusal(((await response.json().catch(() => null)) as ProblemDocument | null) ?? cutOff(response.status))
  let rest = ''
  for await (const text of textOf(response.body)) {
    const lines = (rest + text).split('\n')
    rest = must(lines.pop())
    for (const line of lines.filter(Boolean)) {
      const told = JSON.parse(line) as { progress?: number; result?: T; problem?: ProblemDocument }
      if (told.problem) throw new Refusal(told.problem)
      if ('result' in told) return told.result as T
      if (told.progress !== undefined) onProgress(told.progress)
    }
  }
  throw new Refusal(cutOff(0))
}

const cutOff = (status: number): ProblemDocument => ({ status, title: 'Cut off', detail: 'The answer ended half-way. Nothing was changed; try again.' })

async function* textOf(body: ReadableStream<Uint8Array>): AsyncGenerator<string> {
  const reader = body.pipeThrough(new TextDecoderStream() as unknown as TransformStream<Uint8Array, string>).getReader()
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return
    yield value
  }
}
