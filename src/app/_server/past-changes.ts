import type { Change } from '@/core/changes/change'
import { type Image, idFrom, type RecordId, type TableDef } from '@/core/values/tables'
import { latestChanges, readChange, readChanges } from '@/store/changes'
import { readTitles } from '@/store/records'
import { changesFiredFor } from '@/store/runs'
import { readSchema } from '@/store/tables'
import { pool, replica } from './environment'

/** Which past changes of a table are listed: the newest, and those that are marked already. */
export interface PastAsked {
  readonly take: number
  readonly yes: readonly number[]
  readonly no: readonly number[]
  /** Records whose newest change is marked yes. */
  readonly records: readonly string[]
  /** The name of a workflow: only what it fired for is listed. */
  readonly within: string | null
}

/** Past changes, the newest first, with the titles of what they link to, by table and id. */
export interface PastChanges {
  readonly changes: readonly Change[]
  readonly titles: Readonly<Record<string, string>>
  readonly yes: readonly number[]
  readonly no: readonly number[]
  readonly isMore: boolean
  /** Seconds that the replica is behind which they were read from; null where they come from the database itself. */
  readonly behind: number | null
}

const MOST_RECORDS = 50

/** Reads past changes of a table to be marked. */
export async function pastChanges(table: TableDef, { take, yes, no, records, within }: PastAsked): Promise<PastChanges> {
  const schema = await readSchema(pool())
  return replica().read(async (db, behind) => {
    const listed = within === null ? await latestChanges(db, schema, table.name, null, take) : await firedFor(within)
    const byRecord = await Promise.all(records.slice(0, MOST_RECORDS).map(async (record) => (await latestChanges(db, schema, table.name, keyOf(record), 1))[0]))
    const found = new Map(listed.map((change) => [change.id, change]))
    for (const change of byRecord) if (change) found.set(change.id, change)
    for (const id of [...yes, ...no]) {
      const change = found.get(id) ?? (await readChange(db, schema, id, table.name))
      if (change) found.set(id, change)
    }
    const changes = [...found.values()].sort((a, b) => b.id - a.id)
    const images = changes.flatMap((c): Image[] => [c.before ?? {}, c.after ?? {}])
    const titles = Object.fromEntries(await readTitles(db, schema, table, images))
    return { changes, titles, yes: [...yes, ...byRecord.flatMap((c) => c?.id ?? [])], no, isMore: listed.length >= take, behind }

    async function firedFor(name: string): Promise<Change[]> {
      return [...(await readChanges(db, schema, await changesFiredFor(db, name, take), table.name)).values()]
    }
  })

  function keyOf(text: string): RecordId | null {
    return table.key ? text : idFrom(/^\d+$/.test(text) ? Number(text) : null)
  }
}
