import type { Pool } from 'pg'
import { membersOf } from '@/core/must'
import { one, type Queryable, touch, transaction } from './database'
import { readMark, removeMark, writeMark } from './settings'

/** That an installation was restored, and since when it waits for somebody to say that it is to go on. */
export interface Asleep {
  readonly since: string
  /** How much higher the numbers of transactions were raised. */
  readonly raised: number
}

const WHERE = 'where'
const ASLEEP = 'asleep'

/** Which server and database this is: another where a dump was restored, the same where a replica took a server's place. */
const identify = (db: Queryable) =>
  one<{ is: string }>(
    db,
    `select (select system_identifier from pg_control_system())::text || ' ' || (select oid from pg_database where datname = current_database())::text as is`,
  ).then((r) => r.is)

/**
 * Notices that the database was restored elsewhere since it was used last, however that was done: numbers go on above those in the log, and nothing is decided or sent before somebody
 * says so (`wake`). Whether it just was.
 */
export function settleIn(pool: Pool): Promise<boolean> {
  return transaction(pool, async (db) => {
    await db.query(`select pg_advisory_xact_lock(hashtext('rappel.place'))`)
    const [here, known] = [await identify(db), await readMark(db, WHERE)]
    if (known === here) return false
    await writeMark(db, WHERE, here)
    if (known === null) return false
    const { raised } = await one<{ raised: number }>(db, 'select rappel.continue_numbers() as raised')
    await touch(db, 'delete from rappel.worker')
    await touch(db, `update rappel.message set state = 'queued', worker = null where state = 'sending'`)
    await writeMark(db, ASLEEP, { since: new Date().toISOString(), raised })
    return true
  })
}

/** That the installation waits to be told to go on; null where it does not. */
export async function readAsleep(db: Queryable): Promise<Asleep | null> {
  const mark = await readMark(db, ASLEEP)
  if (typeof mark !== 'object' || mark === null) return null
  const { since = '', raised = 0 } = membersOf(mark)
  return { since: String(since), raised: Number(raised) }
}

/** Lets a restored installation go on; mail and notices that waited when it was saved are sent, or called off, for the one that it was saved from may have sent them. How many those are. */
export function wake(pool: Pool, waiting: 'send' | 'call off', now: Date): Promise<number> {
  return transaction(pool, async (db) => {
    await removeMark(db, ASLEEP)
    if (waiting === 'send') return (await one<{ n: number }>(db, `select count(*)::int as n from rappel.message where state in ('queued', 'held')`)).n
    const why = 'Called off when the installation was restored.'
    const count = await touch(db, `update rappel.message set state = 'cancelled', finished_at = $1, last_reply = $2, behind = null where state in ('queued', 'held')`, [now, why])
    await touch(db, `update rappel.notice set state = 'failed', finished_at = $1, last_reply = $2 where state in ('queued', 'held') and channel is not null`, [now, why])
    return count
  })
}
