import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import type { Setting } from '@/core/conditions/compile'
import { changeSql } from '@/core/conditions/sql'
import type { Condition } from '@/core/document/condition'
import type { RecordCue } from '@/core/document/document'
import { readKeys, type Sifted, type Step } from '@/core/rehearsal/sieve'
import type { RecordId, Schema, TableDef } from '@/core/values/tables'
import { changesOfRows, netOfRows } from './changes'
import { hashing, many, one, type Queryable, quote, tableName } from './database'
import { CHANGE_COLUMNS, type ChangeRow, changesIn, readLog, readRecordsLog } from './log'
import { askParts, partsOfLogs } from './log-parts'
import { type LogSource, logSource } from './log-source'

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
  /** How its changes are read. */
  readonly source: LogSource
  /** Transactions that changed a record several times: their rows, which are passed over, and the net changes that they come to, in order. */
  readonly apart: { readonly rows: readonly number[]; readonly changes: readonly Change[] }
}

/** A condition on changes as SQL over the log; what looks through links or works out formulas lets more through than holds. */
function holds(query: HistoryQuery, condition: Condition | undefined, firing: 'entering' | 'every', first: number) {
  if (!condition) return { text: 'true', params: [] }
  const { table, setting, cue, source } = query
  const { before, by } = source
  return changeSql(condition, firing, table, setting, { quote, table: tableName }, { change: 'c', now: source.after(cue.on.includes('deleted')), before, by, ownOnly: true }, first)
}

/** The rows of a table in a span that are a change each, and what says of one that a cue waits for it. */
function rowsOf({ span, cue, apart, source }: HistoryQuery): { from: string; waitedFor: string; params: unknown[] } {
  const params: unknown[] = [span.from, span.to]
  const bind = (value: unknown) => `$${params.push(value)}`
  const others = apart.rows.length ? ` and c.id <> all(${bind(apart.rows)}::bigint[])` : ''
  return { from: `from ${source.from} where c.at >= $1 and c.at < $2${others}`, waitedFor: source.waitedFor(cue, bind), params }
}

/** The part of a span that a table's newest changes in it are in, at most about so many; the span itself where it has no more. */
export async function newestPart(db: Queryable, table: string, span: Span, most: number): Promise<Span> {
  const { from, count } = await one<{ from: Date | null; count: number }>(
    db,
    `select min(at) as from, count(*) as count from (select c.at from ${changesIn(table)} c where c.at >= $1 and c.at < $2 order by c.id desc limit $3) newest`,
    [span.from, span.to, most],
  )
  return count < most || !from ? span : { from, to: span.to }
}

/** The rows of transactions that changed a record of a table more than once in a span, and the net changes that they come to. */
export async function changesApart(db: Queryable, { table, span, setting }: Pick<HistoryQuery, 'table' | 'span' | 'setting'>): Promise<HistoryQuery['apart']> {
  const changes = changesIn(table.name)
  const rows = await many<ChangeRow>(
    db,
    `with apart as (select change_id from rappel.change_apart where tbl = $1
                     union all select change_id from (select change_id, count(*) over (partition by rec, xid) as rows from rappel.queue where tbl = $1 and last is null) q where rows > 1
                     union select id from (select c.id, count(*) over (partition by c.rec, c.xid) as rows from ${changes} c
                                            where c.xid in (select xid from rappel.queue where tbl = $1 group by xid, shard having count(*) > 1 and bool_or(last is not null))) s where rows > 1)
     select ${CHANGE_COLUMNS} from (select distinct change_id from apart) a join ${changes} c on c.id = a.change_id where c.at >= $2 and c.at < $3 order by c.id`,
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
  const { from, waitedFor, params } = rowsOf(query)
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
         from (select c.id, c.at, case when ${waitedFor} then ${key} end as key ${from}) c group by key`,
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

/** Changes of a table that are one row each, by their ids, the oldest first. */
export async function changesById(db: Queryable, table: string, ids: readonly number[]): Promise<Change[]> {
  return changesOfRows((await readLog(db, table, ids)).sort((a, b) => a.id - b.id))
}

/** The changes that a cue waits for and that a condition may let through, newest first, `after` a change seen before; at most `limit`. */
export async function changesHolding(
  db: Queryable,
  query: HistoryQuery,
  { condition, firing, before: upTo = null, limit }: { condition: Condition | undefined; firing: 'entering' | 'every'; before?: number | null; limit: number },
): Promise<Change[]> {
  const { from, waitedFor, params } = rowsOf(query)
  const [upToAt, limitAt] = [`$${params.push(upTo)}`, `$${params.push(limit)}`]
  const sql = holds(query, condition, firing, params.length)
  const found = await many<{ id: number }>(
    db,
    `select c.id ${from} and ${waitedFor} and (${upToAt}::bigint is null or c.id < ${upToAt}) and ${sql.text} order by c.id desc limit ${limitAt}`,
    [...params, ...sql.params],
  )
  const rows = await readLog(
    db,
    query.table.name,
    found.map((r) => r.id),
  )
  return changesOfRows(rows.sort((a, b) => b.id - a.id))
}

/** What says when a transaction was. */
export type Dated = Pick<Change, 'transaction' | 'at'>

/** For each transaction of the changes given, the id of its last row in the log. None is open for longer than a day: the months that it cannot be in are not opened. */
export async function endsOfTransactions(db: Queryable, changes: readonly Dated[]): Promise<Map<string, number>> {
  if (changes.length === 0) return new Map()
  const at = changes.map((c) => c.at.getTime())
  const span = { from: new Date(Math.min(...at) - DAY_MS), to: new Date(Math.max(...at) + DAY_MS) }
  const rows = await askParts<{ xid: string; last: string | null }>(
    db,
    await partsOfLogs(db, span),
    (from) =>
      `select t.xid, e.last from unnest($1::text[]) as t (xid) cross join lateral (select max(id)::text as last from ${from} where xid = t.xid::xid8 and at >= $2 and at < $3) e`,
    [[...new Set(changes.map((c) => c.transaction))], span.from, span.to],
  )
  const ends = new Map<string, number>()
  for (const { xid, last } of rows) if (last !== null) ends.set(xid, Math.max(ends.get(xid) ?? 0, Number(last)))
  return ends
}

export const DAY_MS = 86_400_000

/** A row of a record's history: what stood after it, and before it where that is known. */
export interface PastImage {
  readonly id: number
  readonly rec: RecordId
  readonly kind: Change['kind']
  readonly before: Change['before']
  readonly after: Change['after']
}

/** Everything the log has about some records of a table, in order. */
export function historyOf(db: Queryable, table: string, ids: readonly RecordId[]): Promise<PastImage[]> {
  return readRecordsLog(db, table, ids)
}

/** For records of a table that ever pointed at some others through a link: which, by the id of the one pointed at, as text. */
export async function everLinked(db: Queryable, table: string, field: string, targets: readonly RecordId[]): Promise<Map<string, RecordId[]>> {
  const { from, valuesOf } = await logSource(db, table)
  const rows = await many<{ target: RecordId; rec: RecordId }>(
    db,
    `select v.id as target, c.rec from ${from} cross join lateral (values ${valuesOf(field)
      .map((v) => `(${v})`)
      .join(', ')}) as v (id) where v.id = any($1)
     union select ${quote(field)}, id from ${tableName(table)} where ${quote(field)} = any($1)`,
    [targets],
  )
  const found = new Map<string, RecordId[]>(targets.map((t) => [String(t), []]))
  for (const { target, rec } of rows) found.get(String(target))?.push(rec)
  return found
}

/** Ids of all records that a table has or had; null where there are more than `most`. */
export async function everIn(db: Queryable, table: string, most: number): Promise<RecordId[] | null> {
  const rows = await many<{ id: RecordId }>(db, `select id from ${tableName(table)} union select rec from ${changesIn(table)} limit $1`, [most + 1])
  return rows.length > most ? null : rows.map((r) => r.id)
}

/** For each moment, the position of everything that was recorded until then; 0 before anything was. One pass over the log between the first and the last. */
export async function positionsAt(db: Queryable, moments: readonly Date[]): Promise<Map<number, number>> {
  if (moments.length === 0) return new Map()
  const times = moments.map((m) => m.getTime())
  const [first, last] = [new Date(Math.min(...times)), new Date(Math.max(...times))]
  const rows = await many<{ at: Date; position: number | null }>(
    db,
    `with base as (select max(id) as id from rappel.change_bare where at <= $2),
          seen as (select at, id, null::timestamptz as moment from rappel.change_bare where at > $2 and at <= $3
                   union all select m, null, m from unnest($1::timestamptz[]) as m),
          run as (select moment, max(id) over (order by at, (moment is not null)) as id from seen)
     select moment as at, greatest(run.id, base.id) as position from run, base where moment is not null`,
    [moments, first, last],
  )
  return new Map(rows.map((r) => [r.at.getTime(), Number(r.position ?? 0)]))
}

/** The changes of some records of a table that came after a position and up to a moment, in order. */
export async function changesAfter(db: Queryable, schema: Schema, table: string, records: readonly RecordId[], after: number, until: Date): Promise<Change[]> {
  if (records.length === 0) return []
  const rows = await many<ChangeRow>(db, `select ${CHANGE_COLUMNS} from ${changesIn(table)} c where c.rec = any($1) and c.id > $2 and c.at <= $3 order by c.id`, [
    records,
    after,
    until,
  ])
  return netOfRows(rows, schema)
}
