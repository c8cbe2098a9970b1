import { many, one, type Queryable, touch } from './database'
import type { PartName } from './health'
import { LOCKS } from './locks'

/** Registers a worker on a dedicated connection that holds its sign of life; answers its id. */
export async function registerWorker(connection: Queryable, host: string, pid: number, parts: readonly PartName[] = ['changes', 'mail']): Promise<number> {
  const { id } = await one<{ id: number }>(connection, 'insert into rappel.worker (host, pid, parts) values ($1, $2, $3) returning id', [host, pid, parts])
  await connection.query(`select pg_advisory_lock(${LOCKS.alive}, $1)`, [id])
  return id
}

/** Takes the sign of life again on a new connection, after the old one broke; whether the worker is still registered. */
export async function keepWorker(connection: Queryable, id: number): Promise<boolean> {
  await connection.query(`select pg_advisory_lock(${LOCKS.alive}, $1)`, [id])
  return (await many(connection, 'select 1 from rappel.worker where id = $1', [id])).length === 1
}

/** Hands back what workers that are gone were sending and forgets them; how many messages went back to the queue. */
export async function buryWorkers(db: Queryable): Promise<number> {
  return touch(
    db,
    `with gone as (
       delete from rappel.worker w where not exists (
         select from pg_locks l where l.locktype = 'advisory' and l.classid = ${LOCKS.alive} and l.objid = w.id and l.objsubid = 2
            and l.database = (select oid from pg_database where datname = current_database()))
       and w.started_at < now() - interval '2 seconds'
       returning w.id)
     update rappel.message m set state = 'queued', worker = null, next_at = greatest(m.next_at, now()) where m.state = 'sending'
        and (m.worker in (select id from gone) or not exists (select from rappel.worker w where w.id = m.worker))`,
  )
}

/** Unregisters a worker that stops, with nothing left in its hands. */
export async function unregisterWorker(db: Queryable, id: number): Promise<void> {
  await touch(db, `update rappel.message set state = 'queued', worker = null, next_at = greatest(next_at, now()) where state = 'sending' and worker = $1`, [id])
  await touch(db, 'delete from rappel.worker where id = $1', [id])
}

/** How many workers of each part give a sign of life. */
export async function countWorkers(db: Queryable): Promise<Record<PartName, number>> {
  return one<Record<PartName, number>>(
    db,
    `select count(*) filter (where 'changes' = any (w.parts)) as changes, count(*) filter (where 'mail' = any (w.parts)) as mail from rappel.worker w where exists (
       select from pg_locks l where l.locktype = 'advisory' and l.classid = ${LOCKS.alive} and l.objid = w.id and l.objsubid = 2
          and l.database = (select oid from pg_database where datname = current_database()))`,
  )
}

/** What one worker at a time does: goes by the clock and keeps figures, or reads the mailbox of what comes back. */
const LED = { clock: 1, mailbox: 2 } as const
export type Led = keyof typeof LED

/** Becomes the one worker that does something, until the connection ends; false where another is. */
export async function lead(connection: Queryable, what: Led): Promise<boolean> {
  return (await one<{ is: boolean }>(connection, `select pg_try_advisory_lock(${LOCKS.leader}, ${LED[what]}) as is`)).is
}

/** Becomes the worker that sleeps on the lock which writers try, until the connection ends; false where another is. */
export async function beWatchman(connection: Queryable): Promise<boolean> {
  return (await one<{ is: boolean }>(connection, `select pg_try_advisory_lock(${LOCKS.watchman}) as is`)).is
}

/** Waits until every writer has ended that was told it need not wake anybody; from the moment it waits, writers wake. */
export async function fallAsleep(connection: Queryable): Promise<void> {
  await connection.query(`select pg_advisory_lock(${LOCKS.sleep})`)
}

/** Lets writers go on without waking anybody. */
export async function wakeUp(connection: Queryable): Promise<void> {
  await connection.query(`select pg_advisory_unlock(${LOCKS.sleep})`)
}

/** Wakes the workers that sleep. */
export async function wakeWorkers(db: Queryable): Promise<void> {
  await db.query(`select pg_notify('rappel_change', '')`)
}
