import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import type { Setting } from '@/core/conditions/compile'
import { changeSql, type RowSql } from '@/core/conditions/sql'
import { waitedForParams, waitedForSql } from '@/core/cues/record'
import type { Condition } from '@/core/document/condition'
import type { RecordCue } from '@/core/document/document'
import { readKeys, type Sifted, type Step } from '@/core/rehearsal/sieve'
import type { FieldDef, FieldType, Schema, TableDef } from '@/core/values/tables'
import { type ChangeRow, changesOfRows, netOfRows } from './changes'
import { hashing, many, one, type Queryable, quote, tableName } from './database'
import { CHANGE_COLUMNS } from './log'

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
  /** Transactions that changed a record several times: their rows, which are passed over, and the net changes that they come to, in order. */
  readonly apart: { readonly rows: readonly number[]; readonly changes: readonly Change[] }
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
  if (!condition) return { text: 'true', params: [] }
  const { table, setting, cue } = query
  return changeSql(condition, firing, table, setting, { quote, table: tableName }, { change: 'c', now: now(cue), before, ownOnly: true }, first)
}

/** The rows of a table in a span that are a change each, and those of them that a cue waits for; parameters 1 to 6. */
const SINGLE = 'from rappel.change c where c.tbl = $1 and c.at >= $2 and c.at < $3 and c.id <> all($6::bigint[])'
const WAITED_FOR = waitedForSql('$4', '$5')
const CUED = `${SINGLE} and ${WAITED_FOR}`

const cuedParams = ({ table, span, cue, apart }: HistoryQuery): unknown[] => [table.name, span.from, span.to, ...waitedForParams(cue), apart.rows]

/** The rows of transactions that changed a record of a table more than once in a span, and the net changes that they come to. */
export async function changesApart(db: Queryable, { table, span, setting }: Omit<HistoryQuery, 'apart' | 'cue'>): Promise<HistoryQuery['apart']> {
  const rows = await many<ChangeRow>(
    db,
    `with apart as (select change_id from rappel.change_apart where tbl = $1
                     union all select change_id from (select change_id, count(*) over (partition by rec, xid) as rows from rappel.queue where tbl = $1) q where rows > 1)
     select ${CHANGE_COLUMNS} from apart join rappel.change c on c.id = apart.change_id where c.at >= $2 and c.at < $3 order by c.id`,
    [table.name, span.from, span.to],
  )
  return { rows: rows.map((r) => r.id), changes: netOfRows(rows, setting.schema) }
}

/** What a sieve is asked about history. */
export interface Sieve {
  readonly steps: readonly Step[]
  /** What those that passed every step are told apart by: whether this holds, or may hold, too. */
  readonly last: { readonly condition: Condition | undefined; readonly firing: 'entering' | 'every' }
}

/** What history came to: all changes of the span, those that the cue waits for, how many are alive at each line, and which came through to the last. */
export interface SiftedHistory extends Sifted {
  readonly changes: number
  readonly first: Date | null
  readonly cued: number
  /** Ids of the changes for which the last condition holds, or may hold, the newest first. */
  readonly through: readonly number[]
}

/** Puts the changes of a span that are one row each through a sieve, in one pass over the log. */
export async function siftHistory(db: Pool, query: HistoryQuery, { steps, last }: Sieve): Promise<SiftedHistory> {
  const params = cuedParams(query)
  const sql = (condition: Condition | undefined, firing: 'entering' | 'every') => {
    const { text, params: own } = holds(query, condition, firing, params.length)
    params.push(...own)
    return text
  }
  const written = steps.map(({ lets, inside }) => ({ lets: sql(lets, 'every'), inside: inside.map((l) => sql(l.alive, 'every')) }))
  const key = written.reduceRight(
    (rest, { lets, inside }) => `${inside.map((l) => `case when ${l} then '1' else '0' end || `).join('')}case when ${lets} then '+' || ${rest} else '-' end`,
    `case when ${sql(last.condition, last.firing)} then '*' else '' end`,
  )
  const rows = await hashing(db, (client) =>
    many<{ key: string | null; count: number; first: Date; ids: string[] }>(
      client,
      `select key, count(*) as count, min(at) as first, rappel.gather(id) filter (where key like '%*') as ids
         from (select c.id, c.at, case when ${WAITED_FOR} then ${key} end as key ${SINGLE}) c group by key`,
      params,
    ),
  )
  const cued = rows.filter((r): r is typeof r & { key: string } => r.key !== null)
  return {
    ...readKeys(steps, cued),
    changes: rows.reduce((sum, r) => sum + r.count, 0),
    first: rows.reduce<Date | null>((first, r) => (!first || r.first < first ? r.first : first), null),
    cued: cued.reduce((sum, r) => sum + r.count, 0),
    through: rows.flatMap((r) => r.ids.map(Number)).sort((a, b) => b - a),
  }
}

/** Changes that are one row each, by their ids, the oldest first. */
export async function changesById(db: Queryable, ids: readonly number[]): Promise<Change[]> {
  const rows = await many<ChangeRow>(db, `select ${CHANGE_COLUMNS} from rappel.change c where c.id = any($1::bigint[]) order by c.id`, [ids])
  return changesOfRows(rows)
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
  return changesOfRows(rows)
}

/** For each transaction of the changes given, the id of its last row in the log. */
export async function endsOfTransactions(db: Queryable, changes: readonly Change[]): Promise<Map<string, number>> {
  if (changes.length === 0) return new Map()
  const at = changes.map((c) => c.at.getTime())
  const rows = await many<{ xid: string; last: number }>(
    db,
    `select t.xid, e.last from unnest($1::text[]) as t (xid)
      cross join lateral (select max(id) as last from rappel.change where xid = t.xid::xid8 and at >= $2 and at < $3) e where e.last is not null`,
    [[...new Set(changes.map((c) => c.transaction))], new Date(Math.min(...at) - DAY_MS), new Date(Math.max(...at) + DAY_MS)],
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

/** For each moment, the position of everything that was recorded until then; 0 before anything was. One pass over the log between the first and the last. */
export async function positionsAt(db: Queryable, moments: readonly Date[]): Promise<Map<number, number>> {
  if (moments.length === 0) return new Map()
  const times = moments.map((m) => m.getTime())
  const [first, last] = [new Date(Math.min(...times)), new Date(Math.max(...times))]
  const rows = await many<{ at: Date; position: number | null }>(
    db,
    `with base as (select max(id) as id from rappel.change where at <= $2),
          seen as (select at, id, null::timestamptz as moment from rappel.change where at > $2 and at <= $3
                   union all select m, null, m from unnest($1::timestamptz[]) as m),
          run as (select moment, max(id) over (order by at, (moment is not null)) as id from seen)
     select moment as at, greatest(run.id, base.id) as position from run, base where moment is not null`,
    [moments, first, last],
  )
  return new Map(rows.map((r) => [r.at.getTime(), Number(r.position ?? 0)]))
}

/** The changes of some records of a table that came after a position and up to a moment, in order. */
export async function changesAfter(db: Queryable, schema: Schema, table: string, records: readonly number[], after: number, until: Date): Promise<Change[]> {
  if (records.length === 0) return []
  const rows = await many<ChangeRow>(
    db,
    `select ${CHANGE_COLUMNS} from rappel.change c where c.tbl = $1 and c.rec = any($2::bigint[]) and c.id > $3 and c.at <= $4 order by c.id`,
    [table, records, after, until],
  )
  return netOfRows(rows, schema)
}
