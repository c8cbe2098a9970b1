import type { ChangedBy, ChangeKind } from '@/core/changes/change'
import type { RecordId } from '@/core/values/tables'
import { many, type Queryable, unquoted } from './database'
import { logOf } from './log'
import { askParts, filledOf, type LogPart, partsByMonth, partsOfLogs } from './log-parts'

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
  const images = `select id, tbl, rappel.image_key(rec, coalesce(after, before)) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json where tbl = '${unquoted(table)}'`
  if (table === 'person') return `(${images})`
  return `(select l.id, '${unquoted(table)}'::text as tbl, rappel.key_of(l.rec) as rec, l.kind::text as kind, l.at, l.xid, (select a.by from rappel.actor a where a.id = l.actor) as by, l.run, l.depth
             from ${logOf(table)} l union all ${images})`
}

/** What is looked at most is new: it is looked for among what was recorded within so many milliseconds first. */
const NEW_MS = 86_400_000

/** The tables that rows of the log are of, by their ids: looked for in the logs of all, month by month back from now. */
async function placesOf(db: Queryable, ids: readonly number[]): Promise<{ id: string; tbl: string }[]> {
  const found = new Map<string, { id: string; tbl: string }>()
  const look = async (parts: readonly LogPart[]) => {
    const ask = (from: string, of: string | null) => `select id::text as id, ${of === null ? 'tbl' : `'${unquoted(of)}'::text`} as tbl from ${from} where id = any($1::bigint[])`
    for (const place of await askParts<{ id: string; tbl: string }>(db, parts, ask, [ids])) found.set(place.id, place)
    return found.size >= ids.length
  }
  const now = Date.now()
  if (!(await look(await partsOfLogs(db, { from: new Date(now - NEW_MS), to: new Date(now + NEW_MS) }))))
    for (const month of await partsByMonth(db)) if (await look(await filledOf(db, month))) break
  return [...found.values()]
}

/** Rows of the log by their ids, those that are gone left out; of a table where that is known. */
export async function readBare(db: Queryable, ids: readonly number[], table?: string): Promise<BareRow[]> {
  if (table) return many<BareRow>(db, `select ${COLUMNS} from ${bareIn(table)} c where c.id = any($1::bigint[])`, [ids])
  const places = await placesOf(db, ids)
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
