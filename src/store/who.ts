import type { ChangedBy } from '@/core/changes/change'
import type { Queryable } from './database'

/** On whose behalf a transaction writes; capture puts it on every change the transaction makes. */
export interface Writer {
  readonly by: ChangedBy
  /** The run that writes, and the depth its changes get. */
  readonly run?: number
  readonly depth?: number
  /** A clock other than the database's own, for history that is written after the fact. */
  readonly clock?: Date
}

/** Says for the rest of the transaction who writes. */
export async function actAs(db: Queryable, writer: Writer): Promise<void> {
  await db.query(`select set_config('rappel.by', $1, true), set_config('rappel.run', $2, true), set_config('rappel.depth', $3, true), set_config('rappel.clock', $4, true)`, [
    JSON.stringify(writer.by),
    writer.run?.toString() ?? '',
    String(writer.depth ?? 0),
    writer.clock?.toISOString() ?? '',
  ])
}
