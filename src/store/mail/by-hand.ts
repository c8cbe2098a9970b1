import { many, type Queryable, touch } from '../database'
import { releaseBehind } from './order'

/**
 * Queues a failed message again, with only what is still open or failed to be tried; whether it was failed.
 * With `to`, what failed goes to that address instead.
 */
export async function retryMessage(db: Queryable, id: number, now: Date, to: string | null = null): Promise<boolean> {
  const count = await touch(db, `update rappel.message set state = 'queued', next_at = $2, tried_since = null, finished_at = null where id = $1 and state = 'failed'`, [id, now])
  if (count === 0) return false
  await touch(
    db,
    `update rappel.message_recipient set state = 'open', address = coalesce($2, address), name = case when $2 is null then name end where message = $1 and state = 'failed'`,
    [id, to],
  )
  await db.query(`select pg_notify('rappel_message', '')`)
  return true
}

/** Queues the failed messages of a run again; how many. */
export async function retryMailOf(db: Queryable, run: number, now: Date): Promise<number> {
  const failed = await many<{ id: number }>(
    db,
    `select m.id from rappel.run_message x join rappel.message m on m.id = x.message where x.run = $1 and m.state = 'failed' order by m.id`,
    [run],
  )
  let count = 0
  for (const { id } of failed) if (await retryMessage(db, id, now)) count++
  return count
}

/** Calls a message off that waits to be sent; whether it still waited. */
export async function cancelMessage(db: Queryable, id: number, at: Date): Promise<boolean> {
  const count = await touch(
    db,
    `update rappel.message set state = 'cancelled', finished_at = $2, last_reply = 'Called off before it was sent.' where id = $1 and state in ('queued', 'held')`,
    [id, at],
  )
  if (count) await releaseBehind(db, [id], at)
  return count === 1
}
