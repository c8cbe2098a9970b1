import { createHash } from 'node:crypto'
import { type Answer, type KeyedCall, onceFor } from '@/store/answered'
import type { Queryable } from '@/store/database'
import type { Actor } from './actor'
import { Problem } from './problem'

/** What a key may be made of: printable characters of ASCII, at most 255. */
const KEY = /^[\x21-\x7e]{1,255}$/

/** The call of a request that carries an Idempotency-Key (IETF draft “The Idempotency-Key HTTP Header Field”), with its body; null where it carries none. @throws Problem 422 where it is no key */
export function keyedCall(request: Request, { counted }: Actor, body: unknown): KeyedCall | null {
  const key = request.headers.get('idempotency-key')?.replace(/^"(.*)"$/, '$1')
  if (key === undefined) return null
  if (!KEY.test(key)) throw new Problem(422, 'Not valid', 'An Idempotency-Key has 1 to 255 printable characters without spaces, such as a UUID.')
  const asked = createHash('sha256')
    .update(JSON.stringify([request.method, request.url, body]))
    .digest('base64url')
  return { who: counted, key, asked }
}

/** Does what a call asks within a transaction; where it carries a key, once. */
export const oncePerKey = <T>(db: Queryable, call: KeyedCall | null, work: () => Promise<Answer<T>>): Promise<Answer<T>> => (call ? onceFor(db, call, work) : work())
