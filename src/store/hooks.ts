import type { Change } from '@/core/changes/change'
import type { RecordId, Schema } from '@/core/values/tables'
import { seal, unseal } from './access/sealed'
import { netChangesAt } from './changes'
import { many, maybeOne, type Queryable, touch } from './database'

/** A program elsewhere that is told of changes. */
export interface HookRow {
  readonly name: string
  readonly url: string
  /** The tables whose changes it is told of; null: all. */
  readonly tables: readonly string[] | null
  /** The last change that it took. */
  readonly after: number
  readonly attempt: number
  readonly reply: string | null
  readonly toldAt: Date | null
}

/** Every one of them, by name. */
export const listHooks = (db: Queryable): Promise<HookRow[]> =>
  many<HookRow>(db, 'select name, url, tables, after_id as after, attempt, reply, told_at as "toldAt" from rappel.hook order by name')

/** One about to be kept; `after` is the change from which on it is told, those that come from now on where it is null. */
export interface NewHook {
  readonly name: string
  readonly url: string
  /** Null leaves the one that is kept. */
  readonly secret: string | null
  readonly tables: readonly string[] | null
  readonly after: number | null
}

/** Keeps one; one that is there goes on where it was, unless `after` says from where. Whether it has a secret. */
export async function putHook(db: Queryable, { name, url, secret, tables, after }: NewHook, by: number | null): Promise<boolean> {
  const known = await maybeOne<{ secret: string }>(db, 'select secret from rappel.hook where name = $1 for update', [name])
  const sealed = secret === null ? known?.secret : seal(secret)
  if (sealed === undefined) return false
  await touch(
    db,
    `insert into rappel.hook as h (name, url, secret, tables, since, from_xid, upto_xid, after_id, made_by)
     values ($1, $2, $3, $4, case when $5::bigint is null then rappel.snapshot() end, case when $5::bigint is null then pg_snapshot_xmin(rappel.snapshot()) else '0'::xid8 end, pg_snapshot_xmin(rappel.snapshot()), coalesce($5, 0), $6)
     on conflict (name) do update set url = $2, secret = $3, tables = $4, attempt = 0, next_at = now(),
       since = case when $5::bigint is null then h.since end, from_xid = case when $5::bigint is null then h.from_xid else excluded.from_xid end, upto_xid = case when $5::bigint is null then h.upto_xid else excluded.upto_xid end,
       after_id = case when $5::bigint is null then h.after_id else $5 end`,
    [name, url, sealed, tables, after, by],
  )
  return true
}

/** Takes one away; whether there was one. */
export const removeHook = async (db: Queryable, name: string): Promise<boolean> => (await touch(db, 'delete from rappel.hook where name = $1', [name])) > 0

/** One whose turn it is, held by the transaction: how far it is, and its secret, null where that was sealed with another key. */
export interface DueHook {
  readonly name: string
  readonly url: string
  readonly secret: string | null
  readonly tables: readonly string[] | null
  readonly after: number
  readonly attempt: number
}

/**
 * Takes one that is due and has changes to be told, for this transaction: the stretch of transactions that it is in goes on once all of it was told, up to the
 * oldest that is under way, so that none that commits late is left out.
 */
export async function claimHook(db: Queryable, now: Date): Promise<DueHook | null> {
  const hook = await maybeOne<DueHook & { secret: string }>(
    db,
    `select name, url, secret, tables, after_id as after, attempt from rappel.hook h
      where next_at <= $1 and (upto_xid < pg_snapshot_xmin(rappel.snapshot()) or from_xid < upto_xid) order by next_at, name for update skip locked limit 1`,
    [now],
  )
  return hook && { ...hook, secret: unseal(hook.secret) }
}

/** The next changes that one is to be told, at most `limit` rows of the log; empty where its stretch is over. */
export async function nextForHook(
  db: Queryable,
  { name, tables, after }: DueHook,
  schema: Schema,
  limit: number,
): Promise<{ readonly changes: readonly Change[]; readonly last: number | null }> {
  const rows = await many<{ id: number; tbl: string; rec: RecordId; xid: string }>(
    db,
    `select c.id, c.tbl, c.rec, c.xid::text as xid from rappel.hook h join rappel.change_bare c on c.xid >= h.from_xid and c.xid < h.upto_xid and c.id > $2
      where h.name = $1 and c.tbl <> 'person' and (h.since is null or not pg_visible_in_snapshot(c.xid, h.since)) and ($3::text[] is null or c.tbl = any($3)) order by c.id limit $4`,
    [name, after, tables, limit],
  )
  return { changes: await netChangesAt(db, schema, rows), last: rows.at(-1)?.id ?? null }
}

/** Notes that one took its changes up to an id; null: its stretch is over, and the next begins, after a while where there was nothing in it. */
export async function noteTold(db: Queryable, name: string, last: number | null, now: Date, isQuiet: boolean): Promise<void> {
  await touch(
    db,
    last === null
      ? `update rappel.hook set from_xid = upto_xid, upto_xid = pg_snapshot_xmin(rappel.snapshot()), after_id = 0,
           next_at = case when $3::boolean then $2::timestamptz + interval '1 second' else $2::timestamptz end where name = $1`
      : 'update rappel.hook set after_id = $3, attempt = 0, reply = null, told_at = $2, next_at = $2 where name = $1',
    last === null ? [name, now, isQuiet] : [name, now, last],
  )
}

/** Notes that one did not take them, and when to try again. */
export async function noteNotTold(db: Queryable, name: string, reply: string, next: Date): Promise<void> {
  await touch(db, 'update rappel.hook set attempt = attempt + 1, reply = $2, next_at = $3 where name = $1', [name, reply.slice(0, 500), next])
}
