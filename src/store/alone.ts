import type { Queryable } from './database'
import { LOCKS } from './locks'

/** Waits for whoever else holds the same words, and holds them until the transaction ends. */
export async function holdAlone(db: Queryable, words: string): Promise<void> {
  await db.query(`select pg_advisory_xact_lock(${LOCKS.calls}, hashtext($1))`, [words])
}
