import { type Need, needKey } from '@/core/paths/lookups'
import { many, type Queryable } from './database'
import { readGroup, readTeam } from './people'
import { readRecords } from './records'

/** Loads what evaluations found they need into `loaded`: records in one query a table, whatever is not there as null. */
export async function loadNeeds(db: Queryable, needs: readonly Need[], loaded: Map<string, unknown>): Promise<void> {
  const records = new Map<string, number[]>()
  const addresses: string[] = []
  for (const need of needs) {
    if (loaded.has(needKey(need))) continue
    if (need.kind === 'record') records.set(need.table, [...(records.get(need.table) ?? []), need.id])
    else if (need.kind === 'group') loaded.set(needKey(need), await readGroup(db, need.name))
    else if (need.kind === 'team') loaded.set(needKey(need), await readTeam(db, need.name))
    else addresses.push(need.address)
  }
  for (const [table, ids] of records) {
    const found = await readRecords(db, table, ids)
    for (const id of ids) loaded.set(needKey({ kind: 'record', table, id }), found.get(id) ?? null)
  }
  if (addresses.length === 0) return
  const suppressed = await many<{ address: string }>(db, 'select address from rappel.suppression where address = any($1)', [addresses])
  for (const address of addresses)
    loaded.set(
      needKey({ kind: 'suppression', address }),
      suppressed.some((s) => s.address === address),
    )
}
