import type { Pool } from 'pg'
import { many, maybeOne, one, type Queryable, transaction } from './database'
import { LOCKS } from './locks'

/** Changes that are moved in one transaction. */
const AT_ONCE = 2_000

/** How far changes that were recorded as images, by a version of before, have been moved into their tables' logs. */
export interface Moved {
  readonly table: string
  readonly lookedAt: number
  /** Those that the log would not give back as they were: they stay images, and are read as such. */
  readonly stayed: number
}

/** Whether some tables have changes left to be moved. */
export async function hasToMove(db: Queryable): Promise<boolean> {
  return (await one<{ has: boolean }>(db, 'select exists (select from rappel.log_of o where not o.moved and not o.move_ended) as has')).has
}

/** Moves the next changes of a table that has some left, in a transaction of its own; null where nothing is left, or another worker does it. */
export function moveNext(pool: Pool, atOnce = AT_ONCE): Promise<Moved | null> {
  return transaction(pool, async (db) => {
    if (!(await one<{ taken: boolean }>(db, `select pg_try_advisory_xact_lock(${LOCKS.move}) as taken`)).taken) return null
    const next = await maybeOne<{ tbl: string }>(db, 'select tbl from rappel.log_of where not moved and not move_ended order by number limit 1')
    if (!next) return null
    const { looked_at, stayed } = await one<{ looked_at: number; stayed: number }>(db, 'select looked_at, stayed from rappel.move_changes($1, $2)', [next.tbl, atOnce])
    return { table: next.tbl, lookedAt: looked_at, stayed }
  })
}

/** Tables some of whose changes stay images. */
export async function readUnmoved(db: Queryable): Promise<string[]> {
  return (await many<{ tbl: string }>(db, 'select tbl from rappel.log_of where move_ended and not moved order by tbl')).map((r) => r.tbl)
}
