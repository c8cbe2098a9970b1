import type { Pool } from 'pg'
import { limitLockWaits, many, transaction } from '../database'

/**
 * Sets the trigger that tells statements apart on tables of Rappel's own, where somebody else has triggers in the database that may write to them; how many tables got it. @throws Error where
 * one is busy, once the others have it; it may be tried again
 */
export async function tellStatementsApart(pool: Pool): Promise<number> {
  const lacking = await many<{ name: string }>(pool, 'select l as name from rappel.lacking_begin() l')
  const faults: unknown[] = []
  for (const { name } of lacking)
    await transaction(pool, async (db) => {
      await limitLockWaits(db)
      await db.query('select rappel.set_triggers($1)', [name])
    }).catch((error: unknown) => faults.push(error))
  if (faults.length) throw faults[0]
  return lacking.length
}
