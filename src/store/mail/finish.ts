import { type Queryable, touch, touchPrepared } from '../database'

/** How an attempt came out. */
export interface Outcome {
  readonly message: number
  readonly attempt: number
  readonly worker: number
  readonly at: Date
  readonly milliseconds: number
  readonly outcome: 'sent' | 'partly' | 'deferred' | 'refused' | 'lost'
  readonly reply: string
  readonly state: 'sent' | 'queued' | 'failed'
  readonly nextAt: Date | null
  readonly recipients: readonly { position: number; state: 'open' | 'sent' | 'failed'; reply: string }[]
}

/**
 * Ends attempts: state per recipient, a line in the attempts' log, and the message's next state. Whoever no longer holds the attempt changes nothing. The state is written so that no index
 * of what is under way may be taken, which holds all that was sent as long as an older transaction is open.
 */
export async function finishAttempts(db: Queryable, outcomes: readonly Outcome[]): Promise<number> {
  if (outcomes.length === 0) return 0
  return touchPrepared(
    db,
    'finish attempts',
    `with given as (
       select * from jsonb_to_recordset($1::jsonb) as o (message bigint, attempt int, worker int, at timestamptz, milliseconds int, outcome text, reply text,
              state text, "nextAt" timestamptz, recipients jsonb)),
     ended as (
       update rappel.message m set state = g.state, worker = null, last_reply = g.reply, next_at = coalesce(g."nextAt", m.next_at),
              finished_at = case when g.state = 'queued' then null else g.at end
         from given g where m.id = any($2::bigint[]) and m.id = g.message and m.attempt = g.attempt and m.worker = g.worker and m.state || '' = 'sending'
       returning m.id),
     per_recipient as (
       update rappel.message_recipient r set state = v.value ->> 'state', reply = v.value ->> 'reply'
         from given g join ended e on e.id = g.message cross join lateral jsonb_array_elements(g.recipients) as v (value)
        where r.message = any($2::bigint[]) and r.message = g.message and r.position = (v.value ->> 'position')::int)
     insert into rappel.delivery_attempt (message, attempt, at, milliseconds, outcome, reply)
     select g.message, g.attempt, g.at, g.milliseconds, g.outcome, g.reply from given g join ended e on e.id = g.message`,
    [JSON.stringify(outcomes), outcomes.map((o) => o.message)],
  )
}

/** Lets messages go at once that wait because the server could not be reached, as old as they are; how many. */
export async function releaseLost(db: Queryable, now: Date): Promise<number> {
  const count = await touch(
    db,
    `update rappel.message m set next_at = coalesce(m.tried_since, m.created_at) where m.state = 'queued' and m.next_at > $1 and m.attempt > 0
        and exists (select from rappel.delivery_attempt a where a.message = m.id and a.attempt = m.attempt and a.outcome = 'lost')`,
    [now],
  )
  if (count) await db.query(`select pg_notify('rappel_message', '')`)
  return count
}

/** Lets messages go again that a worker claimed without knowing it, since the answer was lost on its way: all that it is not known to hold; how many. */
export function releaseUnknown(db: Queryable, worker: number, held: readonly number[]): Promise<number> {
  return touch(
    db,
    `update rappel.message set state = 'queued', worker = null, next_at = greatest(next_at, now()) where state = 'sending' and worker = $1 and not id = any($2::bigint[])`,
    [worker, held],
  )
}
