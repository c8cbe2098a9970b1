import { randomUUID } from 'node:crypto'
import pino from 'pino'
import { isNestedTooDeep, MAX_NESTED } from '@/core/document/bounds'
import { codeOf, faultOf, must } from '@/core/must'
import { isTooMuch } from '@/engine/apart/too-much'
import { spanned } from '@/engine/trace'
import { onBehalfOf } from '@/store/database'
import { explained, isDatabaseAway, isRefused } from '@/store/problems'
import { ACCESS, keeperFor, mayUse, type Permission } from './access'
import { type Actor, actorOf } from './actor'
import { onCondition } from './conditional'
import { tagged } from './etag'
import { countKnock, limits } from './limits'
import { webMetrics } from './metrics'
import { isOwnOrigin } from './origin'
import { Problem } from './problem'
import { problemDocument } from './problem-document'
import { objectOf } from './reading'
import { type BodyOf, bodyOfCall } from './shapes/bodies'
import { readBody } from './shapes/body'
import { callerOf } from './signing-in'

const log = pino({ level: process.env.LOG_LEVEL ?? 'warn' }, pino.destination(2))

/** Most bytes of JSON that a call may send. */
export const MAX_JSON = 2_000_000

/** The names in brackets of a path, such as `name` of `/workflows/[name]`. */
type NamesIn<Path extends string> = Path extends `${string}[${infer Name}]${infer Rest}` ? Name | NamesIn<Rest> : never

/** One call, as a route's work sees it. */
export interface Call<P extends Permission = Permission> {
  readonly actor: Actor
  /** Whose workflows, runs and what came of them may be seen: a member's own, by id; null for all. */
  readonly keeper: number | null
  readonly request: Request
  /** What stands in the address in the place of each name in brackets. */
  readonly params: Readonly<Record<NamesIn<P>, string>>
  readonly query: URLSearchParams
  /** Does long work (a rehearsal, a dry run, an import), in turn where the caller has several under way. @throws Problem 429 when too many wait already */
  inTurn<T>(work: () => Promise<T>): Promise<T>
  /** The JSON body, checked by the shape of the call; where there is none, as an empty object. @throws Problem when it is too large, malformed, or of another shape */
  body(): Promise<BodyOf<P>>
  /** The JSON body. @throws Problem when it is too large or malformed */
  json(): Promise<unknown>
  /** The body as it is. @throws Problem 413 when it is larger than `limit` bytes */
  bytes(limit: number): Promise<Buffer>
}

type Context = { params: Promise<Record<string, string | string[] | undefined> | undefined> }
type Handler = (request: Request, context: Context) => Promise<Response>

const NOBODY: Actor = {
  role: 'member',
  person: null,
  name: 'nobody',
  email: null,
  by: { kind: 'system', person: null, name: 'nobody' },
  session: null,
  isProved: false,
  counted: 'nobody',
}

/** Makes a route handler: checks who may, reads the call, and turns whatever goes wrong into a problem document. */
export function route<P extends Permission>(permission: P, work: (call: Call<P>) => Promise<unknown>): Handler {
  const answer: Handler = async (request, context) => {
    try {
      const actor = await admit(permission, request)
      const params = Object.fromEntries(Object.entries((await context.params) ?? {}).map(([k, v]) => [k, String(v)])) as Readonly<Record<NamesIn<P>, string>> // decoded already
      const url = new URL(request.url)
      const call: Call<P> = {
        actor,
        keeper: keeperFor(permission, actor),
        request,
        params,
        query: url.searchParams,
        inTurn: (long) => limits().inTurn(actor.counted, long),
        body: () => readShape(permission, request),
        json: () => readJson(request),
        bytes: (limit) => readBytes(request, limit),
      }
      const done = (as: Actor) => onCondition({ permission, request, actor: as, params }, () => work({ ...call, actor: as }))
      const result = await spanned(permission, request.headers.get('traceparent'), {}, (trace) => {
        const by = trace ? { ...actor.by, trace } : actor.by
        return onBehalfOf({ by, caller: callerOf(request) }, () => done({ ...actor, by }))
      })
      return result instanceof Response ? result : tagged(request, result)
    } catch (error) {
      if (request.signal.aborted) return new Response(null, { status: CALLED_OFF })
      return problemResponse(error)
    }
  }
  return async (request, context) => {
    const end = webMetrics().calls.startTimer()
    const response = await answer(request, context)
    end({ status: String(response.status) })
    return response
  }
}

/** The status of an answer that nobody waits for any more (common practice; nobody gets to see it). */
const CALLED_OFF = 499

async function admit(permission: Permission, request: Request): Promise<Actor> {
  if (ACCESS[permission] === 'anyone') {
    if (request.method !== 'GET') await countKnock(callerOf(request))
    return NOBODY
  }
  const actor = await actorOf(request)
  if (!actor) {
    const hasToken = request.headers.has('authorization')
    throw new Problem(
      401,
      'Not signed in',
      hasToken ? 'The token is not valid: it is unknown, revoked, or its person has left.' : 'Send a token as “Authorization: Bearer …”, or sign in.',
    )
  }
  await limits().count(actor.counted)
  if (!mayUse(actor.role, permission)) throw new Problem(403, 'Not allowed', `This is not for the role ${actor.role}.`)
  if (!request.headers.has('authorization')) refuseOtherSites(request)
  return actor
}

/** Whether a call says `{ "anyway": true }`, in its body or its query. */
export async function anywayOf(request: Request): Promise<boolean> {
  if (new URL(request.url).searchParams.get('anyway') === 'true') return true
  const text = await readText(request, MAX_JSON)
  return /"anyway"\s*:\s*true/.test(text)
}

/** Refuses what is delicate to somebody who did not prove of late who they are. @throws Problem 403, its first problem coded `password again` */
export function requireProof({ isProved }: Actor): void {
  if (isProved) return
  const message = 'This is delicate: give your password once more.'
  throw new Problem(403, 'Password again', message, { problems: [{ code: 'password again', path: '', message }] })
}

/** A session's cookie counts only for calls from the application's own pages. */
export function refuseOtherSites(request: Request): void {
  if (request.method === 'GET' || request.method === 'HEAD') return
  if (isOwnOrigin(request.headers.get('origin'))) return
  throw new Problem(403, 'Not allowed', 'The call does not come from a page of this application.')
}

/** The JSON body as the call's shape has it. */
async function readShape<P extends Permission>(permission: P, request: Request): Promise<BodyOf<P>> {
  const isEmpty = request.headers.get('content-length') === '0' || request.body === null
  return readBody(must(bodyOfCall(permission)), isEmpty ? {} : objectOf(await readJson(request))) as BodyOf<P>
}

async function readJson(request: Request): Promise<unknown> {
  const text = await readText(request, MAX_JSON)
  if (isNestedTooDeep(text)) throw new Problem(400, 'Nested too deep', `The body is nested deeper than ${MAX_NESTED}.`)
  let body: unknown
  try {
    body = JSON.parse(text)
  } catch (error) {
    throw new Problem(400, 'Malformed JSON', `The body is not JSON: ${faultOf(error)}.`)
  }
  const path = unkeepable(body)
  if (path !== null) throw new Problem(422, 'Not valid', 'The body has a text that cannot be kept.', { problems: [{ code: 'not a text', path, message: UNKEEPABLE }] })
  return body
}

const UNKEEPABLE = 'The text has a character that is none: NUL, or half of a surrogate pair. Remove it.'

const isKeepable = (text: string) => text.isWellFormed() && !text.includes('\u0000')

/** The JSON Pointer of the first text in a body that a database cannot keep; null where there is none. */
function unkeepable(body: unknown): string | null {
  const open: { value: unknown; path: string }[] = [{ value: body, path: '' }]
  for (let at = open.pop(); at; at = open.pop()) {
    const { value, path } = at
    if (typeof value === 'string' && !isKeepable(value)) return path
    if (typeof value !== 'object' || value === null) continue
    for (const [name, entry] of Object.entries(value)) {
      if (!isKeepable(name)) return path
      open.push({ value: entry, path: `${path}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}` })
    }
  }
  return null
}

/** The body as text. @throws Problem 413 when it is larger than `limit` bytes */
export async function readText(request: Request, limit: number): Promise<string> {
  return (await readBytes(request, limit)).toString('utf8')
}

async function readBytes(request: Request, limit: number): Promise<Buffer> {
  const chunks: Uint8Array[] = []
  for await (const chunk of bodyWithin(request, limit, `The body is larger than ${limit} bytes. Send less at once.`)) chunks.push(chunk)
  return Buffer.concat(chunks)
}

/** The body piece by piece, no faster than it is taken. @throws Problem 413, with a sentence, when it is larger than `limit` bytes */
export async function* bodyWithin(request: Request, limit: number, tooLarge: string): AsyncGenerator<Uint8Array> {
  const refusal = () => new Problem(413, 'Too large', tooLarge)
  if (Number(request.headers.get('content-length') ?? 0) > limit) throw refusal()
  let size = 0
  for await (const chunk of (request.body ?? []) as AsyncIterable<Uint8Array>) {
    size += chunk.length
    if (size > limit) throw refusal()
    yield chunk
  }
}

const REFUSALS = { 'not found': [404, 'Not found'], conflict: [409, 'Conflict'], invalid: [422, 'Not valid'], stale: [412, 'Changed in the meantime'] } as const

/** SQLSTATE of a lock that was waited for in vain. */
const LOCK_NOT_AVAILABLE = '55P03'
const HELD = 'What this needs is held by somebody else at the moment, as by the owner of a table who changes its columns. Nothing was changed; try again shortly.'

/** An error as a problem document; what is not known is logged and answered with a reference only. */
export function problemResponse(error: unknown): Response {
  if (error instanceof Problem) return problemDocument(error.status, error.title, error.detail, error.more, error.headers)
  const refused = explained(error)
  if (isRefused(refused) && (isRefused(error) || codeOf(error) === 'RP001')) {
    const [status, title] = REFUSALS[refused.code]
    return problemDocument(status, title, refused.message, { ...(refused.problems.length ? { problems: refused.problems } : {}), ...refused.more })
  }
  if (isTooMuch(error)) return problemDocument(422, 'Too much work', error.message)
  if (isDatabaseAway(error))
    return problemDocument(503, 'Database away', 'The database cannot be reached at the moment. Nothing was changed; try again shortly.', {}, { 'retry-after': '5' })
  const code = codeOf(error)
  if (code === LOCK_NOT_AVAILABLE) return problemDocument(503, 'Held at the moment', HELD, {}, { 'retry-after': '5' })
  if (code === '22021' || code === '22P05') return problemDocument(422, 'Not valid', UNKEEPABLE)
  const reference = randomUUID()
  log.error({ reference, error: error instanceof Error ? error.stack : String(error) }, 'a call failed')
  return problemDocument(500, 'Something went wrong', `This should not have happened. The log says more under ${reference}.`)
}
