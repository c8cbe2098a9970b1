import type { Calls, Problem } from './calls'

/** Where an installation is, and the token that its calls are made with. */
export interface Installation {
  /** Such as `https://rappel.example`, without a slash at its end. */
  readonly base: string
  readonly token: string
}

/** What a call is made with besides its path and body. */
interface More {
  readonly query?: Readonly<Record<string, string | number | boolean>>
  /** The entity tag of what was read: where it is another now, the call is refused with 412. */
  readonly ifMatch?: string
  /** One for each thing that is to be created: the same again creates nothing more. */
  readonly key?: string
  readonly signal?: AbortSignal
}

/** What there is to be said for a call. */
export type Given<C extends keyof Calls> = (Calls[C]['path'] extends undefined ? object : { readonly path: Calls[C]['path'] }) &
  (Calls[C]['body'] extends undefined ? object : { readonly body: Calls[C]['body'] }) &
  More

/** An answer: its JSON (null where there is none), and its entity tag, to change what was read on condition. */
export interface Answer {
  readonly status: number
  readonly body: unknown
  readonly etag: string | null
}

/** A call that was refused, with the problem document (RFC 9457) that says why. */
export class Refused extends Error {
  override readonly name = 'Refused'

  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.detail)
  }
}

/** Calls of an installation's API. */
export class Client {
  constructor(private readonly at: Installation) {}

  /** Makes a call, such as `'PUT /groups/{name}'`. @throws Refused with the problem document; TypeError where nobody answers */
  async call<C extends keyof Calls>(call: C, given: Given<C>): Promise<Answer> {
    const [method = 'GET', template = ''] = call.split(' ')
    const { path, body, query = {}, ifMatch, key, signal } = given as More & { path?: Record<string, string | number>; body?: unknown }
    const filled = template.replaceAll(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(String(path?.[name] ?? '')))
    const search = new URLSearchParams(Object.entries(query).map(([name, value]) => [name, String(value)])).toString()
    const response = await fetch(`${this.at.base}/api/v1${filled}${search ? `?${search}` : ''}`, {
      method,
      headers: {
        authorization: `Bearer ${this.at.token}`,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(ifMatch === undefined ? {} : { 'if-match': ifMatch }),
        ...(key === undefined ? {} : { 'idempotency-key': key }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(signal ? { signal } : {}),
    })
    const text = await response.text()
    const told: unknown = text && response.headers.get('content-type')?.includes('json') ? JSON.parse(text) : null
    if (!response.ok) throw new Refused(response.status, (told ?? { status: response.status, title: response.statusText, detail: text }) as Problem)
    return { status: response.status, body: told, etag: response.headers.get('etag') }
  }
}
