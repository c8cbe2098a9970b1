import type { Pool } from 'pg'
import { atOneSnapshot, renewFigures } from '@/store/figures/definitions'
import { readNow } from '@/store/now'
import { readSurroundings } from '../program'

/** Works out anew every figure that was worked out otherwise than it would be now, in a transaction of its own. */
export function renew(pool: Pool, baseUrl: string): Promise<void> {
  return atOneSnapshot(pool, async (db) => renewFigures(db, await readSurroundings(db, baseUrl), await readNow(db)))
}
