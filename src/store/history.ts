import type { Change } from '@/core/changes/change'
import type { Condition } from '@/core/conditions/clause'
import type { Setting } from '@/core/conditions/compile'
import { changeSql, type RowSql } from '@/core/conditions/sql'
import type { FieldDef, FieldType, TableDef } from '@/core/values/tables'
import type { RecordCue } from '@/core/workflow/document'
import { MOST_OF_ONE_TRANSACTION } from './as-of'
import { CHANGE_COLUMNS, type ChangeRow, netOfRows } from './changes'
import { many, one, type Queryable, quote, tableName } from './database'

/** A stretch of recorded history of one table. */
export interface Span {
  readonly from: Date
  readonly to: Date
}

/** What is counted and read from history: the changes of a table in a span that a cue waits for. */
export interface HistoryQuery {
  readonly table: TableDef
  readonly span: Span
  readonly cue: RecordCue
  readonly setting: Setting
  /** Rows of transactions that changed a record several times; they are read as net changes instead. */
  readonly apart: readonly number[]
}

const COLUMN_TYPES: Partial<Record<FieldType, string>> = {
  number: 'numeric',
  money: 'numeric',
  'yes/no': 'boolean',
  date: 'date',
  'date-time': 'timestamptz',
  person: 'bigint',
  link: 'bigint',
  file: 'bigint',
}

const typeOf = ({ type }: FieldDef) => COLUMN_TYPES[type.startsWith('link') ? 'link' : type] ?? 'text'

/** A field's text in an image of the log; names of fields are snake_case. @throws Error for anything else */
function textIn(image: string, { name }: Pick<FieldDef, 'name'>): string {
  if (!/^[a-z][a-z0-9_]{0,58}$/.test(name)) throw new Error(`${JSON.stringify(name)} is no name of a field.`)
  return `${image} ->> '${name}'`
}

const now =
  (cue: RecordCue): RowSql =>
  (field) =>
    `(${textIn(cue.on.includes('deleted') ? 'coalesce(c.after, c.before)' : 'c.after', field)})::${typeOf(field)}`

const before: RowSql = (field) =>
  `(case c.kind when 'changed' then case when c.before ? '${field.name}' then ${textIn('c.before', field)} else ${textIn('c.after', field)} end
    when 'deleted' then ${textIn('c.before', field)} end)::${typeOf(field)}`

/** A condition on changes as SQL over the log; what looks through links or works out formulas lets more through than holds. */
function holds(query: HistoryQuery, condition: Condition | undefined, firing: 'entering' | 'every', first: number) {
  if (!condition) return { text: 'true', params: [] as readonly unknown[] }
  const { table, setting, cue } = query
  return changeSql(condition, firing, table, setting, { quote, table: tableName }, { change: 'c', now: now(cue), before, ownOnly: true }, first)
}

/** The rows that a cue waits for; parameters 1 to 6. */
const CUED = `from rappel.change c
  where c.tbl = $1 and c.at >= $2 and c.at < $3 and c.kind = any($4) and (c.kind <> 'changed' or $5::text[] is null or c.changed && $5) and not (c.id = any($6::bigint[]))`

const cuedParams = ({ table, span, cue, apart }: HistoryQuery): unknown[] => [table.name, span.from, span.to, cue.on, cue.fields?.length ? cue.fields : null, apart]

/** How many changes of a table a span has, and when the first of them was. */
export function countHistory(db: Queryable, table: string, span: Span): Promise<{ changes: number; first: Date | null }> {
  return one(db, 'select count(*) as changes, min(at) as first from rappel.change where tbl = $1 and at >= $2 and at < $3', [table, span.from, span.to])
}

/** Ids of the rows of transactions that changed a record of the table more than once. */
export async function rowsApart(db: Queryable, table: string, span: Span): Promise<number[]> {
  const rows = await many<{ ids: number[] }>(db, 'select array_agg(id) as ids from rappel.change where tbl = $1 and at >= $2 and at < $3 group by rec, xid having count(*) > 1', [
    table,
    span.from,
    span.to,
  ])
  return rows.flatMap((r) => r.ids.map(Number))
}

/** How many of the changes a cue waits for there are, and for how many each condition holds, in one pass. */
export async function countHolding(
  db: Queryable,
  query: HistoryQuery,
  conditions: readonly { readonly condition: Condition | undefined; readonly firing: 'entering' | 'every' }[],
): Promise<number[]> {
  const params = cuedParams(query)
  const counts = conditions.map(({ condition, firing }) => {
    const sql = holds(query, condition, firing, params.length)
    params.push(...sql.params)
    return `count(*) filter (where ${sql.text})`
  })
  const row = await one<{ counts: number[] }>(db, `select array[${['count(*)', ...counts].join(', ')}] as counts ${CUED}`, params)
  return row.counts.map(Number)
}

/** The changes that a cue waits for and that a condition may let through, newest first, `after` a change seen before; at most `limit`. */
export async function changesHolding(
  db: Queryable,
  query: HistoryQuery,
  { condition, firing, before: upTo = null, limit }: { condition: Condition | undefined; firing: 'entering' | 'every'; before?: number | null; limit: number },
): Promise<Change[]> {
  const params = [...cuedParams(query), upTo, limit]
  const sql = holds(query, condition, firing, params.length)
  const rows = await many<ChangeRow>(db, `select ${CHANGE_COLUMNS} ${CUED} and ($7::bigint is null or c.id < $7) and ${sql.text} order by c.id desc limit $8`, [
    ...params,
    ...sql.params,
  ])
  return netOfRows(rows.reverse(), query.setting.schema).reverse()
}

/** Net changes of rows that were set apart. */
export async function netChangesOf(db: Queryable, query: Pick<HistoryQuery, 'apart' | 'setting'>): Promise<Change[]> {
  if (query.apart.length === 0) return []
  const rows = await many<ChangeRow>(db, `select ${CHANGE_COLUMNS} from rappel.change c where c.id = any($1::bigint[]) order by c.id`, [query.apart])
  return netOfRows(rows, query.setting.schema)
}

/** For each transaction of the changes given, the id of its last row in the log. */
export async function endsOfTransactions(db: Queryable, changes: readonly Change[]): Promise<Map<string, number>> {
  if (changes.length === 0) return new Map()
  const ids = changes.map((c) => c.id)
  const at = changes.map((c) => c.at.getTime())
  const rows = await many<{ xid: string; last: number }>(
    db,
    `select xid::text as xid, max(id) as last from rappel.change
      where xid = any($1::text[]::xid8[]) and id between $2 and $3 + ${MOST_OF_ONE_TRANSACTION} and at >= $4 and at < $5 group by xid`,
    [[...new Set(changes.map((c) => c.transaction))], Math.min(...ids), Math.max(...ids), new Date(Math.min(...at) - DAY_MS), new Date(Math.max(...at) + DAY_MS)],
  )
  return new Map(rows.map((r) => [r.xid, Number(r.last)]))
}

const DAY_MS = 86_400_000

/** A row of a record's history: what stood after it, and before it where that is known. */
export interface PastImage {
  readonly id: number
  readonly rec: number
  readonly kind: Change['kind']
  readonly before: Change['before']
  readonly after: Change['after']
}

/** Everything the log has about some records of a table, in order. */
export function historyOf(db: Queryable, table: string, ids: readonly number[]): Promise<PastImage[]> {
  return many<PastImage>(db, 'select id, rec, kind, before, after from rappel.change where tbl = $1 and rec = any($2::bigint[]) order by rec, id', [table, ids])
}

/** For records of a table that ever pointed at some others through a link: which, by the one pointed at. */
export async function everLinked(db: Queryable, table: string, field: string, targets: readonly number[]): Promise<Map<number, number[]>> {
  const link = textIn('c.after', { name: field })
  const was = textIn('c.before', { name: field })
  const rows = await many<{ target: number; rec: number }>(
    db,
    `select t.target, c.rec from rappel.change c cross join lateral (values (${link}), (${was})) as v (text)
        join unnest($2::bigint[]) as t (target) on t.target = v.text::bigint where c.tbl = $1
     union select ${quote(field)}, id from ${tableName(table)} where ${quote(field)} = any($2::bigint[])`,
    [table, targets],
  )
  const found = new Map<number, number[]>(targets.map((t) => [t, []]))
  for (const { target, rec } of rows) found.get(Number(target))?.push(Number(rec))
  return found
}

/** Ids of all records that a table has or had; null where there are more than `most`. */
export async function everIn(db: Queryable, table: string, most: number): Promise<number[] | null> {
  const rows = await many<{ id: number }>(db, `select id from ${tableName(table)} union select rec from rappel.change where tbl = $1 limit $2`, [table, most + 1])
  return rows.length > most ? null : rows.map((r) => Number(r.id))
}

/** The id of the newest row of the log about a table; null where there is none. */
export async function newestChange(db: Queryable, table: string): Promise<number | null> {
  return (await one<{ id: number | null }>(db, 'select max(id) as id from rappel.change where tbl = $1', [table])).id
}
