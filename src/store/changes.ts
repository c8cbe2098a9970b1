import type { ChangedBy, ChangeKind } from '@/core/changes/change'
import { type Change, type LogRow, netChanges, wholeBefore } from '@/core/changes/change'
import { must } from '@/core/must'
import type { RecordId, Schema } from '@/core/values/tables'
import { readBare, readBareRow } from './bare'
import { many, manyPrepared, one, type Queryable, touch, touchPrepared } from './database'
import { asArguments, type Floor, NO_FLOOR } from './floor'
import { keyJson } from './keys'
import { LOCKS } from './locks'
import { CHANGE_COLUMNS, type ChangeRow, changesIn, logOf, readLatest, readLog, readStretches, type Stretch } from './log'

function logRow({ id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth }: ChangeRow): LogRow {
  return { id, table: tbl, record: rec, kind, before, after, changed, at, transaction: xid, by, run, depth }
}

/** Changes of rows that are the only ones of their transaction about their record. */
export function changesOfRows(rows: readonly ChangeRow[]): Change[] {
  return rows.map((row) => {
    const change = logRow(row)
    return { ...change, before: wholeBefore(change) }
  })
}

/** Net changes of rows of the log, which are in order. */
export function netOfRows(rows: readonly ChangeRow[], schema: Schema): Change[] {
  return netChanges(rows.map(logRow), (name) => schema.get(name))
}

/** The shards that have anything to handle above a floor; where their number was changed just now, only those of the number before, which go first. */
export async function busyShards(db: Queryable, floor: Floor = NO_FLOOR): Promise<number[]> {
  const rows = await manyPrepared<{ shard: number }>(
    db,
    'busy shards',
    `with busy as (select b.shard, b.shard < s.base or b.shard >= s.base + s.n as "isOld" from rappel.busy_shards($1, $2::text[]::xid8[], $3::bigint[]) b (shard), rappel.shards s)
     select shard from busy where "isOld" or not exists (select from busy where "isOld") order by shard`,
    asArguments(floor),
  )
  return rows.map((r) => r.shard)
}

/**
 * Tries to take some shards for this transaction, and holds off switches of versions until it ends; those that were taken.
 * A statement of its own before the claim, so that the claim's snapshot comes after it. A shard of today's number waits for those of the number before.
 */
export async function takeShards(db: Queryable, shards: readonly number[]): Promise<number[]> {
  const rows = await manyPrepared<{ shard: number }>(
    db,
    'take shards',
    `with asked as materialized (
       select s.shard, pg_try_advisory_xact_lock(${LOCKS.shard}, s.shard) and pg_try_advisory_xact_lock_shared(${LOCKS.switch}) as taken from unnest($1::int[]) s (shard))
     select shard from asked where taken and (rappel.shards_with(shard) <> (select n from rappel.shards) or rappel.is_through())`,
    [shards],
  )
  return rows.map((r) => r.shard)
}

/** The same for one; whether it was taken. */
export const takeShard = async (db: Queryable, shard: number): Promise<boolean> => (await takeShards(db, [shard])).length > 0

/** Holds off switches of versions until this transaction ends, as whoever has a shard does. */
export async function holdOffSwitches(db: Queryable): Promise<void> {
  await db.query(`select pg_advisory_xact_lock_shared(${LOCKS.switch})`)
}

/** Waits until no worker is in the middle of a batch and holds them off until this transaction ends. */
export async function holdOffWorkers(db: Queryable): Promise<void> {
  await db.query(`select pg_advisory_xact_lock(${LOCKS.switch})`)
}

/** Changes taken off the queue, in order, and the last of each shard that had any. */
export interface Taken {
  readonly changes: Change[]
  readonly last: ReadonlyMap<number, number>
  /** Whether a shard gave all that was asked for, so that more may wait in it. */
  readonly isFull: boolean
}

/**
 * Takes changes of some shards off the queue, above a floor and the oldest first; of each at most about `limit` log rows.
 * One transaction's changes to one record are never split: whatever else of them is queued comes along.
 */
export async function claimChanges(db: Queryable, shards: readonly number[], limit: number, schema: Schema, floor: Floor = NO_FLOOR): Promise<Taken> {
  const last = new Map<number, number>()
  const given = new Map<number, number>()
  const rows: ChangeRow[] = []
  const byTable = new Map<string, number[]>()
  for (const { shard, of_table, ids } of await wholly(db, await claim(db, shards, limit, floor), limit)) {
    last.set(
      shard,
      ids.reduce((a, b) => Math.max(a, b), last.get(shard) ?? 0),
    )
    given.set(shard, (given.get(shard) ?? 0) + ids.length)
    byTable.set(of_table, [...(byTable.get(of_table) ?? []), ...ids])
  }
  for (const [table, ids] of byTable) rows.push(...(await readLog(db, table, ids)))
  const inOrder = rows.sort((a, b) => a.id - b.id)
  return { changes: netOfRows(inOrder, schema), last, isFull: [...given.values()].some((count) => count >= limit) }
}

/** Changes of a table that were claimed of a shard, by their ids. */
interface ClaimedIds {
  readonly shard: number
  readonly of_table: string
  readonly ids: readonly number[]
}

/** A stretch of a table's changes of which a piece is to be taken. */
interface ClaimedStretch extends Stretch {
  readonly of_table: string
  readonly ids: null
}

type Claimed = ClaimedIds | ClaimedStretch

const claim = (db: Queryable, shards: readonly number[], limit: number, floor: Floor): Promise<Claimed[]> =>
  manyPrepared<Claimed>(
    db,
    'claim',
    `select c.of_shard as shard, c.of_table, c.ids, c.first_id as first, c.last_id as last, c.of_xid::text as xid from rappel.claim_shards($1::int[], $2, $3, $4::text[]::xid8[], $5::bigint[]) c`,
    [shards, limit, ...asArguments(floor)],
  )

/** What was claimed, pieces of the stretches in their place. */
async function wholly(db: Queryable, claimed: readonly Claimed[], limit: number): Promise<ClaimedIds[]> {
  const bare = claimed.flatMap((c) => (c.ids === null ? [] : [{ ...c, ids: c.ids.map(Number) }]))
  const stretches = claimed.flatMap((c) => (c.ids === null ? [c] : []))
  return stretches.length ? [...bare, ...(await takePieces(db, stretches, limit))] : bare
}

/** Takes the first changes of stretches off the queue; the rest of them stays. */
async function takePieces(db: Queryable, stretches: readonly ClaimedStretch[], limit: number): Promise<ClaimedIds[]> {
  const pieces: (ClaimedIds & { readonly first: number; readonly next: number | null })[] = []
  for (const of_table of new Set(stretches.map((s) => s.of_table))) {
    const own = stretches.filter((s) => s.of_table === of_table)
    const found = await readStretches(db, of_table, own, limit + 1)
    own.forEach(({ shard, first }, i) => {
      const ids = found[i] ?? []
      pieces.push({ shard, of_table, ids: ids.slice(0, limit), first, next: ids[limit] ?? null })
    })
  }
  await touchPrepared(
    db,
    'take pieces',
    `with given as materialized (
       select g.next, p.place from unnest($1::int[], $2::bigint[], $3::bigint[]) g (shard, first, next)
        cross join lateral (select q.ctid as place from rappel.queue q where q.shard = g.shard and q.change_id = g.first offset 0) p),
     gone as (delete from rappel.queue q where q.ctid = any (array(select place from given where next is null)))
     update rappel.queue q set change_id = g.next from given g where q.ctid = g.place and g.next is not null`,
    [pieces.map((p) => p.shard), pieces.map((p) => p.first), pieces.map((p) => p.next)],
  )
  return pieces
}

/** A change as it is known without its images. */
export interface BareChange {
  readonly id: number
  readonly table: string
  readonly record: RecordId
  readonly kind: ChangeKind
  readonly at: Date
  readonly transaction: string
  readonly by: ChangedBy
  readonly run: number | null
  readonly depth: number
}

/** Takes the oldest change of a shard off the queue without reading what it holds, whatever that is; null where there is none. */
export async function takeBareChange(db: Queryable, shard: number): Promise<BareChange | null> {
  const [taken] = await wholly(db, await claim(db, [shard], 1, NO_FLOOR), 1)
  return taken ? readBareChange(db, Math.max(...taken.ids), taken.of_table) : null
}

/** A change without what it holds, or null where the log has it no more. */
export async function readBareChange(db: Queryable, id: number, table?: string): Promise<BareChange | null> {
  const row = await readBareRow(db, id, table)
  if (!row) return null
  const { tbl, rec, xid, ...more } = row
  return { ...more, table: tbl, record: rec, transaction: xid }
}

/** What the change log is listed by; `after` is the id of the last change seen. */
export interface ChangesQuery {
  readonly table?: string
  readonly record?: RecordId
  readonly after?: number
  readonly limit: number
}

/** A page of changes, and where the next begins; null where there is none. */
export interface ChangesPage {
  readonly changes: Change[]
  readonly next: number | null
}

/**
 * Net changes of records in order of the log, whole images; several rows of one transaction about one record count once, at the last of them. A page may be shorter than
 * its limit where some of it amounted to nothing, or comes to its end later.
 */
export async function listChanges(db: Queryable, schema: Schema, query: ChangesQuery): Promise<ChangesPage> {
  const { table, record = null, after = 0, limit } = query
  const rows = await many<Placed>(
    db,
    `select c.id, c.tbl, c.rec, c.xid::text as xid from ${table ? changesIn(table) : 'rappel.change_bare'} c
      where c.tbl <> 'person' and (c.rec = $1 or $1 is null) and c.id > $2 order by c.id limit $3`,
    [record === null || table ? record : keyJson(record), after, limit + 1],
  )
  const page = rows.slice(0, limit)
  return { changes: await netChangesAt(db, schema, page), next: rows.length > limit ? must(page.at(-1)).id : null }
}

/** The net changes that come to their end at rows of the log, in order. */
export async function netChangesAt(db: Queryable, schema: Schema, rows: readonly Placed[]): Promise<Change[]> {
  const ends = new Set(rows.map((r) => r.id))
  return netOfRows(await wholeTransactions(db, rows), schema).filter((c) => ends.has(c.id))
}

/** Where a row of the log stands: its table, record and transaction. */
interface Placed {
  readonly id: number
  readonly tbl: string
  readonly rec: RecordId
  readonly xid: string
}

/** All rows of the log about the records of some rows in their transactions, in order. */
async function wholeTransactions(db: Queryable, placed: readonly Placed[]): Promise<ChangeRow[]> {
  const rows: ChangeRow[] = []
  for (const table of new Set(placed.map((p) => p.tbl))) {
    const own = placed.filter((p) => p.tbl === table)
    const wanted = new Set(own.map((p) => `${p.xid} ${p.rec}`))
    rows.push(
      ...(
        await many<ChangeRow>(db, `select ${CHANGE_COLUMNS} from ${changesIn(table)} c where c.rec = any($1) and c.xid = any($2::xid8[])`, [
          [...new Set(own.map((p) => p.rec))],
          [...new Set(own.map((p) => p.xid))],
        ])
      ).filter((row) => wanted.has(`${row.xid} ${row.rec}`)),
    )
  }
  return rows.sort((a, b) => a.id - b.id)
}

/** The id of the newest change of a table; null where it has none. */
export const newestChange = async (db: Queryable, table: string): Promise<number | null> => (await readLatest(db, table, null, 1))[0]?.id ?? null

/** The newest changes of a table or of one record, newest first. */
export async function latestChanges(db: Queryable, schema: Schema, table: string, record: RecordId | null, limit: number): Promise<Change[]> {
  const rows = await readLatest(db, table, record, limit)
  return netOfRows(rows.reverse(), schema).reverse()
}

/** Drops the months of the log that ended more than so many months ago, and that nothing needs which is still open; the names of what was dropped. */
export async function dropOldChanges(db: Queryable, months: number): Promise<string[]> {
  const dropped = (await many<{ name: string }>(db, 'select name from rappel.drop_old_changes($1) as d (name)', [months])).map((r) => r.name)
  if (dropped.length > 0) await forgetApart(db)
  return dropped
}

/** Forgets of changes that are gone from the logs which of them were several of one transaction. */
async function forgetApart(db: Queryable): Promise<void> {
  for (const { tbl } of await many<{ tbl: string }>(db, 'select tbl from rappel.log_of order by number'))
    await touch(
      db,
      `delete from rappel.change_apart where tbl = $1
          and change_id < coalesce(least((select min(l.id) from ${logOf(tbl)} l), (select j.id from rappel.change_json j where j.tbl = $1 order by j.id limit 1)), 9223372036854775807)`,
      [tbl],
    )
}

/** Whether a change was ever given this id: it may have been dropped since. */
export async function mayBeDropped(db: Queryable, id: number): Promise<boolean> {
  return (await one<{ may: boolean }>(db, 'select $1 <= last_value as may from rappel.change_id', [id])).may
}

/** Makes the partitions for the months to come, and for so many before this one, of history that is written after the fact; those of one table after those of another, for each takes locks. */
export async function ensurePartitions(db: Queryable, back = 0): Promise<void> {
  await db.query(`select rappel.ready_months('rappel.change_json', 'change', 'change_json_other', $1, 2)`, [back])
  for (const { tbl } of await many<{ tbl: string }>(db, 'select tbl from rappel.log_of order by number')) await db.query('select rappel.ready_log($1, $2, 2)', [tbl, back])
}

/** Changes by the ids of their last log rows, of a table where that is known; those that are gone are left out. */
export async function readChanges(db: Queryable, schema: Schema, ids: readonly number[], table?: string): Promise<Map<number, Change>> {
  if (ids.length === 0) return new Map()
  const rows = await wholeTransactions(db, await readBare(db, ids, table))
  return new Map(netOfRows(rows, schema).map((c) => [c.id, c]))
}

/** Changes of a table with those of some ids besides, in order; ids that are gone are left out. */
export async function withChanges(db: Queryable, schema: Schema, table: string, changes: readonly Change[], ids: readonly number[]): Promise<Change[]> {
  const there = new Set(changes.map((change) => change.id))
  const others = await readChanges(
    db,
    schema,
    [...new Set(ids)].filter((id) => !there.has(id)),
    table,
  )
  return [...changes, ...others.values()].sort((a, b) => a.id - b.id)
}

/** One change by the id of its last log row, or null; of a table where that is known. */
export async function readChange(db: Queryable, schema: Schema, id: number, table?: string): Promise<Change | null> {
  const rows = await wholeTransactions(db, await readBare(db, [id], table))
  return netOfRows(rows, schema).find((c) => c.id === id) ?? null
}

/** One change by its id, or null; looked for first in the log of the table that it is thought to be of, since to look through those of all tables takes longer. */
export const findChange = async (db: Queryable, schema: Schema, id: number, table: string | null | undefined): Promise<Change | null> =>
  (table && schema.has(table) ? await readChange(db, schema, id, table) : null) ?? readChange(db, schema, id)

/** Whether a change is in the log. */
export async function hasChange(db: Queryable, id: number, table?: string): Promise<boolean> {
  return (await readBareRow(db, id, table)) !== null
}
