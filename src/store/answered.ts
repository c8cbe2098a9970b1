import { many, type Queryable, touch } from './database'
import { Refused } from './problems'

/** A call that carries a key of its own: whose, which key, and what it asks, as a digest. */
export interface KeyedCall {
  readonly who: string
  readonly key: string
  readonly asked: string
}

/** What a call was answered. */
export interface Answer<T> {
  readonly status: number
  readonly answer: T
}

const read = async <T>(db: Queryable, { who, key }: KeyedCall) =>
  (await many<Answer<T> & { asked: string }>(db, 'select status, answer, asked from rappel.answered where who = $1 and key = $2', [who, key]))[0]

/**
 * Does what a call asks within a transaction, once: the same call again, also at the same moment, is answered what the first was.
 * @throws Refused where the key was used for another call
 */
export async function onceFor<T>(db: Queryable, call: KeyedCall, work: () => Promise<Answer<T>>): Promise<Answer<T>> {
  // whoever comes second waits here for the first to commit, and finds its answer
  const isFirst = await touch(db, `insert into rappel.answered (who, key, asked, status, answer) values ($1, $2, $3, 0, 'null') on conflict do nothing`, [
    call.who,
    call.key,
    call.asked,
  ])
  if (!isFirst) {
    const known = await read<T>(db, call)
    if (!known || known.asked !== call.asked) throw new Refused('conflict', 'This Idempotency-Key was used for another call. Take a new one for each.')
    return { status: known.status, answer: known.answer }
  }
  const answered = await work()
  await touch(db, 'update rappel.answered set status = $3, answer = $4 where who = $1 and key = $2', [call.who, call.key, answered.status, JSON.stringify(answered.answer)])
  return answered
}

/** Forgets keys that were used before a moment. */
export const forgetAnswered = (db: Queryable, before: Date): Promise<number> => touch(db, 'delete from rappel.answered where at < $1', [before])
