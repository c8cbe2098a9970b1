import type { Pool } from 'pg'
import { holdOffWorkers } from './changes'
import { one, type Queryable, transaction } from './database'

/** How many shards changes can be spread over. */
export const SHARDS: readonly number[] = [16, 32, 64, 128, 256, 512, 1_024]

/** How long workers may take to end what they are in the middle of. */
const PATIENCE = '20s'

/** How many shards changes are spread over. */
export async function readShards(db: Queryable): Promise<number> {
  return (await one<{ n: number }>(db, 'select n from rappel.shards')).n
}

/**
 * Spreads changes over another number of shards while everything goes on: writers wait for nothing, workers for as long as they are in the middle of a batch. What was queued before goes
 * first. `not through`: a change before this one is not over, as changes may still come by the number before it; nothing was done.
 * @throws Error where workers are in the middle of a batch for longer than 20 s
 */
export async function setShards(pool: Pool, to: number): Promise<'set' | 'same' | 'not through'> {
  const { what } = await transaction(pool, async (db) => {
    await db.query(`set local lock_timeout = '${PATIENCE}'`)
    await holdOffWorkers(db)
    return one<{ what: 'set' | 'same' | 'not through' }>(db, 'select rappel.set_shards($1) as what', [to])
  })
  // Who began before this may still be writing by the number before.
  if (what === 'set') await pool.query('update rappel.shards set older_than = pg_snapshot_xmax(rappel.snapshot()) where older_than is null')
  return what
}
