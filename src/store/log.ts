import type { ChangedBy, ChangeKind } from '@/core/changes/change'
import type { Image, RecordId, TableDef } from '@/core/values/tables'
import { many, manyPrepared, type Queryable, quote, touch } from './database'

/** A row of the change log as SQL gives it. */
export interface ChangeRow {
  id: number
  tbl: string
  rec: RecordId
  kind: ChangeKind
  before: Image | null
  after: Image | null
  changed: string[]
  at: Date
  xid: string
  by: ChangedBy
  run: number | null
  depth: number
}

/** A column of a table's log: which bit of the masks is its, what its values are called, and between which changes it is the field's. */
interface LogColumn {
  readonly bit: number
  readonly field: string
  readonly stem: string
  readonly counts: boolean
  readonly since: number
  readonly until: number | null
}

/** How the changes of a table are kept: `columns` are those of its log, in order of their bits. */
export interface LogShape {
  readonly table: string
  /** A number that no other log has. */
  readonly number: number
  /** The type that it keeps the keys of records in. */
  readonly key: string
  readonly columns: readonly LogColumn[]
  /** Whether some of its changes are still kept as images, from before logs were typed. */
  readonly hasImages: boolean
}

/** The log of a table, as SQL names it. */
export const logOf = (table: string): string => `rappel_log.${quote(table)}`

/** Values of a change up to which it fits a row of a log whatever they are; of a table with more, changes that do not fit are kept as images (migration 041). */
const FITTING = 160

/** Where the changes of a table stand, without their images, as SQL names it; of people, and where some may be kept as images, a view. */
export const standsIn = ({ name, fields }: TableDef): string => (name === 'person' || fields.length + 2 > FITTING ? changesIn(name) : logOf(name))

/** The changes of a table with their images, as SQL reads them: a view over its log. */
export const changesIn = (table: string): string => `rappel_change.${quote(table)}`

/** Columns that a log has in its first mask; each 63 more have another. */
const IN_MASK = 63

/** The mask that a column's bit is in, and the bit as a number. */
export function maskOf(bit: number): { mask: string; bit: string } {
  const word = Math.floor(bit / IN_MASK)
  return { mask: `mask${word || ''}`, bit: String(1n << BigInt(bit % IN_MASK)) }
}

/** How a table's log looks now; null where the table has none of its own. */
export async function readShape(db: Queryable, table: string): Promise<LogShape | null> {
  const columns = await manyPrepared<LogColumn & Pick<LogShape, 'number' | 'key'> & { moved: boolean }>(
    db,
    'log shape',
    `with log as materialized (
       select o.tbl, o.number, o.moved, (select a.atttypid::regtype::text from pg_attribute a where a.attrelid = to_regclass(rappel.log_name(o.tbl)) and a.attname = 'rec') as key
         from rappel.log_of o where o.tbl = $1)
     select c.bit, c.field, c.stem, c.counts, c.since, c.until, log.number, log.moved, log.key from log join rappel.log_column c on c.tbl = log.tbl order by c.bit`,
    [table],
  )
  const [first] = columns
  return first ? { table, number: first.number, key: first.key, columns, hasImages: !first.moved } : null
}

/** Changes of a table by their ids, as rows of the log, in no order; whoever made one has the trace of the call that wrote it, as long as that is kept. */
export async function readLog(db: Queryable, table: string, ids: readonly number[]): Promise<ChangeRow[]> {
  return ids.length === 0 ? [] : readRows(db, table, 'ids', 'c.id = any($1::bigint[])', [ids])
}

/** The trace of the transaction that made a change, as SQL reads it. */
const TRACE = '(select t.trace from rappel.traced t where t.xid = c.xid)'

/** Lets go of traces of transactions that are long decided about; how many there were. */
export const forgetTraces = (db: Queryable, until: Date): Promise<number> => touch(db, 'delete from rappel.traced where at < $1', [until])

/** A stretch of one transaction's changes, as far as they are in a shard. */
export interface Stretch {
  readonly shard: number
  readonly first: number
  readonly last: number
  /** The transaction's id (xid8), as text. */
  readonly xid: string
}

/** The ids of the first changes of each of some stretches in a table's log, in order; at most so many of each. */
export async function readStretches(db: Queryable, table: string, stretches: readonly Stretch[], most: number): Promise<number[][]> {
  const rows = await manyPrepared<{ ids: readonly number[] }>(
    db,
    `stretches of ${table}`,
    `select array(select l.id from ${logOf(table)} l
                   where l.id between s.first and s.last and l.xid = s.xid::xid8 and rappel.place_of($5, l.rec, rappel.shards_with(s.shard)) = s.shard order by l.id limit $6) as ids
       from unnest($1::int[], $2::bigint[], $3::bigint[], $4::text[]) with ordinality s (shard, first, last, xid, n) order by s.n`,
    [stretches.map((s) => s.shard), stretches.map((s) => s.first), stretches.map((s) => s.last), stretches.map((s) => s.xid), table, most],
  )
  return rows.map(({ ids }) => ids.map(Number))
}

/** The newest changes of a table, or of one record of it, the newest first. */
export const readLatest = (db: Queryable, table: string, record: RecordId | null, limit: number): Promise<ChangeRow[]> =>
  record === null
    ? readRows(db, table, 'latest', 'true order by c.id desc limit $1', [limit])
    : readRows(db, table, 'latest of record', 'c.rec = $1 order by c.id desc limit $2', [record, limit])

/** What this transaction has written to a table so far, after a change, in order of their ids; at most so many rows. */
export const readOwnWrites = (db: Queryable, table: string, after: number, limit: number): Promise<ChangeRow[]> =>
  readRows(db, table, 'own writes', 'c.id > $1 and c.xid = rappel.xid() order by c.id limit $2', [after, limit])

/** Everything the log has about some records of a table, by record and then in order. */
export function readRecordsLog(db: Queryable, table: string, records: readonly RecordId[]): Promise<ChangeRow[]> {
  return readRows(db, table, 'records', 'c.rec = any($1) order by c.rec, c.id', [records])
}

/**
 * Rows of a table's changes: from its log, or, where some are still kept as images, from the view of them. A log's columns keep their bits and names, so that their number
 * tells one way of reading it from another; its keys may get another type.
 */
async function readRows(db: Queryable, table: string, way: string, where: string, params: unknown[]): Promise<ChangeRow[]> {
  const shape = await readShape(db, table)
  const trace = way === 'ids' ? TRACE : 'null::text'
  if (!shape || shape.hasImages) {
    const rows = await many<ChangeRow & { trace: string | null }>(db, `select ${CHANGE_COLUMNS}, ${trace} as trace from ${changesIn(table)} c where ${where}`, params)
    return rows.map(({ trace: own, by, ...row }) => ({ ...row, by: traced(by, own) }))
  }
  const rows = await manyPrepared<{ id: number; at: number; xid: string; by: string; trace: string | null; row: Packed }>(
    db,
    `log ${way} ${shape.number} ${shape.columns.length} ${shape.key}`,
    `select c.id, extract(epoch from c.at) * 1000 as at, c.xid::text as xid, (select a.by::text from rappel.actor a where a.id = c.actor) as by, ${trace} as trace, ${packed(shape)} as row from ${logOf(table)} c where ${where}`,
    params,
  )
  const known = new Map<string, ChangedBy>()
  const actor = (text: string) => {
    const by: ChangedBy = known.get(text) ?? JSON.parse(text)
    known.set(text, by)
    return by
  }
  return rows.map(({ id, at, xid, by, trace: own, row }) => unpacked(shape, Number(id), new Date(Number(at)), xid, traced(actor(by), own), row))
}

const traced = (by: ChangedBy, trace: string | null): ChangedBy => (trace === null ? by : { ...by, trace })

/** The columns of a `ChangeRow`, of the log under the alias `c`. */
export const CHANGE_COLUMNS = 'c.id, c.tbl, c.rec, c.kind, c.before, c.after, c.changed, c.at, c.xid::text as xid, c.by, c.run, c.depth'

/** Record, kind, run, depth, the masks in halves of 31 and 32 bits, values after, values before; a list is null where nothing stood. */
type Packed = [RecordId, ChangeKind, number | null, number, readonly number[], readonly unknown[] | null, readonly unknown[] | null]

function packed({ columns }: LogShape): string {
  const masks = Array.from({ length: Math.floor(Math.max(0, columns.length - 1) / IN_MASK) + 1 }, (_, i) => `c.${maskOf(i * IN_MASK).mask}`)
  const halves = masks.map((m) => `(${m} & 2147483647), (${m} >> 31)`).join(', ')
  const values = (side: 'a' | 'b') => jsonArray(columns.map(({ stem }) => `c.${quote(`${side}_${stem}`)}`))
  return `json_build_array(c.rec, c.kind, c.run, c.depth, json_build_array(${halves}),
    case when c.kind <> 'deleted' then ${values('a')} end, case when c.kind <> 'created' then ${values('b')} end)`
}

/** A function takes at most 100 values; a list of lists is put together again in `flat`. */
const AT_ONCE = 90

function jsonArray(values: readonly string[]): string {
  if (values.length <= AT_ONCE) return `json_build_array(${values.join(', ')})`
  const parts: string[] = []
  for (let i = 0; i < values.length; i += AT_ONCE) parts.push(`json_build_array(${values.slice(i, i + AT_ONCE).join(', ')})`)
  return `json_build_array(${parts.join(', ')})`
}

const flat = (values: readonly unknown[], count: number): readonly unknown[] => (count <= AT_ONCE ? values : values.flatMap((part) => part as unknown[]))

function unpacked({ table, columns }: LogShape, id: number, at: Date, xid: string, by: ChangedBy, row: Packed): ChangeRow {
  const [rec, kind, run, depth, masks, after, before] = row
  const [news, olds] = [after && flat(after, columns.length), before && flat(before, columns.length)]
  const image: Record<string, unknown> = { id: rec }
  const was: Record<string, unknown> = kind === 'deleted' ? { id: rec } : {}
  const changed: string[] = []
  columns.forEach(({ bit, field, counts, since, until }, i) => {
    if (id < since || (until !== null && id >= until)) return
    const isSet = hasBit(masks, bit)
    if (news) image[field] = news[i]
    if (olds && (isSet || kind === 'deleted')) was[field] = olds[i]
    if (isSet && counts && kind !== 'deleted') changed.push(field)
  })
  return { id, tbl: table, rec, kind, before: olds && (was as Image), after: news && (image as Image), changed, at, xid, by, run, depth }
}

function hasBit(masks: readonly number[], bit: number): boolean {
  const inMask = bit % IN_MASK
  const half = masks[2 * Math.floor(bit / IN_MASK) + (inMask < 31 ? 0 : 1)] ?? 0
  return Math.floor(half / 2 ** (inMask < 31 ? inMask : inMask - 31)) % 2 === 1
}
