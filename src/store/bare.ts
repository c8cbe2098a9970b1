import type { ChangedBy, ChangeKind } from '@/core/changes/change'
import type { RecordId } from '@/core/values/tables'
import { many, type Queryable, unquoted } from './database'
import { logOf } from './log'
import { askParts, partsOfLogs } from './log-parts'

/** A row of the log without what it holds. */
export interface BareRow {
  readonly id: number
  readonly tbl: string
  readonly rec: RecordId
  readonly kind: ChangeKind
  readonly at: Date
  readonly xid: string
  readonly by: ChangedBy
  readonly run: number | null
  readonly depth: number
}

const COLUMNS = 'c.id, c.tbl, c.rec, c.kind, c.at, c.xid::text as xid, c.by, c.run, c.depth'

/** A table's changes without their images, as SQL reads them. */
function bareIn(table: string): string {
  const images = `select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json where tbl = '${unquoted(table)}'`
  if (table === 'person') return `(${images})`
  return `(select l.id, '${unquoted(table)}'::text as tbl, rappel.key_of(l.rec) as rec, l.kind::text as kind, l.at, l.xid, (select a.by from rappel.actor a where a.id = l.actor) as by, l.run, l.depth
             from ${logOf(table)} l union all ${images})`
}

/** Rows of the log by their ids, those that are gone left out; of a table where that is known. */
export async function readBare(db: Queryable, ids: readonly number[], table?: string): Promise<BareRow[]> {
  if (table) return many<BareRow>(db, `select ${COLUMNS} from ${bareIn(table)} c where c.id = any($1::bigint[])`, [ids])
  const places = await askParts<{ id: string; tbl: string }>(
    db,
    await partsOfLogs(db),
    (from, of) => `select id::text as id, ${of === null ? 'tbl' : `'${unquoted(of)}'::text`} as tbl from ${from} where id = any($1::bigint[])`,
    [ids],
  )
  const found: BareRow[] = []
  for (const tbl of new Set(places.map((place) => place.tbl)))
    found.push(
      ...(await readBare(
        db,
        places.filter((place) => place.tbl === tbl).map(({ id }) => Number(id)),
        tbl,
      )),
    )
  return found
}

/** One row of the log by its id, or null. */
export const readBareRow = async (db: Queryable, id: number, table?: string): Promise<BareRow | null> => (await readBare(db, [id], table))[0] ?? null

/** The ids of the changes of a table that a run made, since it was set off. */
export async function changesByRun(db: Queryable, table: string, run: number, since: Date): Promise<number[]> {
  return (await many<{ id: number }>(db, `select c.id from ${bareIn(table)} c where c.run = $1 and c.at >= $2`, [run, since])).map((c) => c.id)
}
