import { randomUUID } from 'node:crypto'
import type { Pool } from 'pg'
import { type Found, isPutBack, type Seen } from '@/core/changes/put-back'
import { membersOf } from '@/core/must'
import type { WhyAsleep } from '@/core/words/asleep'
import { checkWhole } from './access/database-role'
import { one, type Queryable, touch, transaction, transactionOn } from './database'
import { readMark, removeMark, writeMark } from './settings'
import { dropTrouble } from './trouble'
import { countWorkers } from './workers'

/** That an installation waits for somebody to say that it is to go on, since when, and why. */
export interface Asleep {
  readonly since: string
  /** How much higher the numbers of transactions were raised. */
  readonly raised: number
  readonly why: WhyAsleep
}

/** What a worker knows of its database before it goes to work. */
export interface Arrival {
  /** What the database is called by whoever reaches it as this worker does (`placesOf`). */
  readonly places: readonly string[]
  /** As the worker's home saw it last; null where it keeps nothing of that. */
  readonly seen: Seen | null
}

const WHERE = 'where'
const PLACES = 'places'
const LIVES = 'lives'
const ASLEEP = 'asleep'

/** How a database stands: another `is` where a dump was restored, the same where a replica took a server's place, and in a copy of its disk. */
export async function findPlace(db: Queryable): Promise<Found> {
  const { is, next, lives } = await one<{ is: string; next: string; lives: unknown }>(
    db,
    `select (select system_identifier from pg_control_system())::text || ' ' || (select oid from pg_database where datname = current_database())::text as is,
            pg_snapshot_xmax(pg_current_snapshot())::text as next, (select value from rappel.setting where key = $1) as lives`,
    [LIVES],
  )
  return { is, next: BigInt(next), lives: textsOf(lives) }
}

const textsOf = (mark: unknown): string[] => (Array.isArray(mark) ? mark.map(String) : [])

/** One at a time looks where the database is, and says what comes of it. */
const lockPlace = (db: Queryable) => db.query(`select pg_advisory_xact_lock(hashtext('rappel.place'))`)

/**
 * Notices that the database was restored elsewhere since it was used last, however that was done; and, where a worker arrives, that it was put back to an earlier state or may be a copy of one in
 * use. Then numbers go on above those in the log, and nothing is decided or sent before somebody says so (`wake`). Whether it just was.
 * @throws Error where a restore was broken off
 */
export function settleIn(pool: Pool, arrival?: Arrival): Promise<boolean> {
  return transaction(pool, async (db) => {
    await lockPlace(db)
    for (const sentence of await checkWhole(db)) throw new Error(sentence)
    const [found, known] = [await findPlace(db), await readMark(db, WHERE)]
    const why = known === null || known === found.is ? arrival && (await doubtOf(db, found, arrival)) : 'restored'
    if (known !== found.is) await writeMark(db, WHERE, found.is)
    await learn(db, arrival?.places ?? [], why !== undefined)
    if (!why) return false
    await fallAsleep(db, why, found, arrival?.seen ?? null)
    return true
  })
}

/** What speaks against going to work on a database that is where it was. */
async function doubtOf(db: Queryable, found: Found, { places, seen }: Arrival): Promise<WhyAsleep | undefined> {
  if ((await readAsleep(db)) !== null) return undefined
  if (seen && isPutBack(found, seen)) return 'put back'
  const known = textsOf(await readMark(db, PLACES))
  if (known.length === 0 || places.some((place) => known.includes(place))) return undefined
  const alive = await countWorkers(db) // those that are connected to this very server
  return alive.changes + alive.mail > 0 ? undefined : 'elsewhere'
}

/** Notes what the database is called by whoever works on it; what it was called before is forgotten where it is another's now. */
async function learn(db: Queryable, places: readonly string[], isAnother: boolean): Promise<void> {
  const known = isAnother ? [] : textsOf(await readMark(db, PLACES))
  const all = [...new Set([...known, ...places])]
  if (isAnother || all.length !== known.length) await writeMark(db, PLACES, all)
}

/** Puts to sleep what somebody at work found to be put back to an earlier state. */
export function fallBack(db: Queryable, found: Found, seen: Seen): Promise<void> {
  return transactionOn(db, async () => {
    await lockPlace(db)
    if ((await readAsleep(db)) === null) await fallAsleep(db, 'put back', found, seen)
  })
}

/** A life that was seen and is not known was lost; it is noted as one that was, so that whoever saw it does not take it for lost again. */
async function fallAsleep(db: Queryable, why: WhyAsleep, { lives }: Found, seen: Seen | null): Promise<void> {
  const lost = seen?.life && !lives.includes(seen.life) ? [seen.life] : []
  await writeMark(db, LIVES, [...lives, ...lost, randomUUID()])
  const { raised } = await one<{ raised: number }>(db, 'select rappel.continue_numbers() as raised')
  await touch(db, 'delete from rappel.worker')
  await touch(db, `update rappel.message set state = 'queued', worker = null where state = 'sending'`)
  await writeMark(db, ASLEEP, { since: new Date().toISOString(), raised, why })
}

/** That the installation waits to be told to go on; null where it does not. */
export async function readAsleep(db: Queryable): Promise<Asleep | null> {
  const mark = await readMark(db, ASLEEP)
  if (typeof mark !== 'object' || mark === null) return null
  const { since = '', raised = 0, why } = membersOf(mark)
  return { since: String(since), raised: Number(raised), why: why === 'elsewhere' || why === 'put back' ? why : 'restored' }
}

/** Lets an installation that waits go on; mail and notices that waited are sent, or called off, for the one that it was copied from may have sent them. How many those are. */
export function wake(pool: Pool, waiting: 'send' | 'call off', now: Date): Promise<number> {
  return transaction(pool, async (db) => {
    await removeMark(db, ASLEEP)
    if (waiting === 'send') return (await one<{ n: number }>(db, `select count(*)::int as n from rappel.message where state in ('queued', 'held')`)).n
    const why = 'Called off before the installation went on.'
    const count = await touch(db, `update rappel.message set state = 'cancelled', finished_at = $1, last_reply = $2, behind = null where state in ('queued', 'held')`, [now, why])
    await touch(db, `update rappel.notice set state = 'cancelled', finished_at = $1, last_reply = $2 where state in ('queued', 'held') and channel is not null`, [now, why])
    await dropTrouble(db)
    return count
  })
}
