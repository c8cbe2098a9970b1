import type { Change } from '@/core/changes/change'
import { readId } from '@/core/values/parse'
import type { Image, TableDef } from '@/core/values/tables'
import { latestChanges, withChanges } from '@/store/changes'
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
    const listed = within === null ? await latestChanges(db, schema, table.name, null, take) : await changesFiredFor(db, schema, table.name, within, take)
    const known = records.slice(0, MOST_RECORDS).flatMap((text) => readId(table, text) ?? [])
    const newest = (await Promise.all(known.map((record) => latestChanges(db, schema, table.name, record, 1)))).flat().map((change) => change.id)
    const changes = (await withChanges(db, schema, table.name, listed, [...yes, ...no, ...newest])).reverse()
    const images = changes.flatMap((c): Image[] => [c.before ?? {}, c.after ?? {}])
    const titles = Object.fromEntries(await readTitles(db, schema, table, images))
    return { changes, titles, yes: [...yes, ...newest], no, isMore: listed.length >= take, behind }
  })
}
