import { holdAlone } from '@/store/alone'
import { transaction } from '@/store/database'
import type { Permission } from './access'
import type { Actor } from './actor'
import { pool } from './environment'
import { requireMatch } from './etag'
import { keyedCall, oncePerKey } from './keyed'
import { Problem } from './problem'
import { stateAt } from './states'

/** Calls that hold what they write against an entity tag by themselves, within the transaction that writes it. */
const BY_THEMSELVES: readonly string[] = ['/api/v1/records/[table]/[id]', '/api/v1/workflows/[name]']

const pathOf = (call: string) => call.slice(call.indexOf(' ') + 1)

/** Whether a call goes by If-Match (RFC 9110, section 13.1.1). */
export const isConditional = (call: string): boolean => /^(PUT|PATCH|DELETE) /.test(call) && (BY_THEMSELVES.includes(pathOf(call)) || stateAt(pathOf(call)) !== undefined)

/** Calls that create something each time, and so go by an Idempotency-Key. Records are created in the transaction that notes the key. */
const KEYED: readonly string[] = [
  'POST /api/v1/records/[table]',
  'POST /api/v1/records/[table]/import',
  'POST /api/v1/imports/[name]',
  'POST /api/v1/files',
  'POST /api/v1/workflows/import',
  'POST /api/v1/tables/[name]/attach',
] satisfies Permission[]

/** Whether a call goes by an Idempotency-Key. */
export const mayBeKeyed = (call: string): boolean => KEYED.includes(call)

interface Asked {
  readonly permission: Permission
  readonly request: Request
  readonly actor: Actor
  readonly params: Readonly<Record<string, string>>
}

/** Does what a call asks where what it is about is as the caller saw it, and once where the call has a key. @throws Problem 412, 422 */
export async function onCondition(asked: Asked, work: () => Promise<unknown>): Promise<unknown> {
  const { permission, request, params } = asked
  if (request.method === 'GET' || request.method === 'HEAD') return work()
  const keyed = () => (request.headers.has('idempotency-key') ? doneOnce(asked, work) : work())
  if (!request.headers.has('if-match') || BY_THEMSELVES.includes(pathOf(permission))) return keyed()
  const state = isConditional(permission) ? stateAt(pathOf(permission)) : undefined
  if (!state) throw new Problem(412, 'Not conditional', 'This call takes no If-Match: there is nothing under its path whose entity tag could be asked for.')
  // one that writes the same under the same condition waits here, and then finds another state
  return transaction(pool(), async (db) => {
    await holdAlone(db, request.url)
    const content = await state(params).catch((error: unknown) => {
      if (error instanceof Problem && error.status === 404) throw new Problem(412, 'Changed meanwhile', `${error.detail} Nothing was done.`)
      throw error
    })
    requireMatch(request, content)
    return keyed()
  })
}

const NDJSON = 'application/x-ndjson'

async function doneOnce({ permission, request, actor }: Asked, work: () => Promise<unknown>): Promise<unknown> {
  if (permission === 'POST /api/v1/records/[table]') return work()
  if (!mayBeKeyed(permission)) throw new Problem(422, 'Not valid', 'This call takes no Idempotency-Key: done twice it leaves what it leaves done once.')
  if (request.headers.get('accept')?.includes(NDJSON))
    throw new Problem(422, 'Not valid', 'A call with an Idempotency-Key is answered at once, not line by line: leave application/x-ndjson out of Accept.')
  const call = keyedCall(request, actor, [request.headers.get('content-length'), request.headers.get('content-type')])
  const { status, answer } = await transaction(pool(), (db) =>
    oncePerKey(db, call, async () => {
      const result = await work()
      return result instanceof Response ? { status: result.status, answer: await result.json() } : { status: 200, answer: result }
    }),
  )
  return Response.json(answer, { status })
}
