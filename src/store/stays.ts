import type { ChangedBy } from '@/core/changes/change'
import type { RecordId } from '@/core/values/tables'
import { many, manyPrepared, maybeOne, type Queryable, touch } from './database'
import { keyJson } from './keys'

/** Conditions of a workflow that became true for a record and are to hold until `due`. */
export interface NewStay {
  readonly workflow: number
  readonly version: number
  readonly trial: number | null
  readonly key: string
  readonly change_id: number | null
  readonly tbl: string
  readonly rec: RecordId
  readonly title: string
  readonly by: ChangedBy
  readonly since: Date
  readonly due_at: Date
  /** How it ended, where it is over already. */
  readonly outcome?: StayOutcome | null
  readonly ended_at?: Date | null
  readonly ended_by?: number | null
}

/** How a wait ended. */
export type StayOutcome = 'fired' | 'broken' | 'did not fit' | 'called off' | 'passed by'

/** A wait that is open. */
export interface OpenStay extends NewStay {
  readonly id: number
}

/** Begins waits; one whose occasion has been waited for already, and a record that waits for the same workflow already, are passed over. How many began. */
export function beginStays(db: Queryable, stays: readonly NewStay[]): Promise<number> {
  if (stays.length === 0) return Promise.resolve(0)
  return touch(
    db,
    `insert into rappel.stay (workflow, version, trial, key, change_id, tbl, rec, title, by, since, due_at, outcome, ended_at, ended_by, shard)
     select workflow, version, trial, key, change_id, tbl, rec, title, by, since, due_at, outcome, ended_at, ended_by, rappel.shard_of(tbl, rec)
       from jsonb_to_recordset($1::jsonb) as n (workflow bigint, version int, trial bigint, key text, change_id bigint, tbl text, rec jsonb, title text, by jsonb, since timestamptz, due_at timestamptz,
            outcome text, ended_at timestamptz, ended_by bigint)
      where n.outcome is not null or not exists (select from rappel.stay o where o.outcome is null and o.workflow = n.workflow and o.trial is not distinct from n.trial and o.tbl = n.tbl and o.rec = n.rec)
     on conflict do nothing`,
    [JSON.stringify(stays)],
  )
}

const COLUMNS = 's.id, s.workflow, s.version, s.trial, s.key, s.change_id, s.tbl, s.rec, s.title, s.by, s.since, s.due_at'

/** Whether any record waits for anything. */
export async function anyStays(db: Queryable): Promise<boolean> {
  return (await maybeOne(db, 'select 1 from rappel.stay where outcome is null limit 1')) !== null
}

/** The open waits of some records, each given once, for whoever holds their shards. */
export function openStays(db: Queryable, of: readonly { readonly table: string; readonly record: RecordId }[]): Promise<OpenStay[]> {
  return manyPrepared<OpenStay>(
    db,
    'open stays',
    `select ${COLUMNS} from unnest($1::text[], $2::jsonb[]) g (tbl, rec) join rappel.stay s on s.tbl = g.tbl and s.rec = g.rec and s.outcome is null order by s.id for update of s`,
    [of.map(({ table }) => table), of.map(({ record }) => keyJson(record))],
  )
}

/** Shards in which waits are over, the longest over first. */
export async function dueShards(db: Queryable, now: Date): Promise<number[]> {
  const rows = await many<{ shard: number }>(
    db,
    `select shard from (select shard, min(due_at) as due from (select shard, due_at from rappel.stay where outcome is null and due_at <= $1 order by due_at limit 5000) d group by shard) s order by due`,
    [now],
  )
  return rows.map((r) => r.shard)
}

/** Waits of a shard that are over, for whoever holds it; those of records about which changes are still queued are left until these are handled. */
export function dueStays(db: Queryable, shard: number, now: Date, limit: number): Promise<OpenStay[]> {
  return many<OpenStay>(
    db,
    `select ${COLUMNS} from rappel.stay s
      where s.outcome is null and s.due_at <= $2 and s.shard = $1 and rappel.is_through() and not exists (select from rappel.queue q where q.shard = $1 and q.tbl = s.tbl and q.last is not null)
        and not exists (select from rappel.queue q where q.shard = $1 and q.tbl = s.tbl and q.rec = s.rec)
      order by s.due_at, s.id limit $3 for update`,
    [shard, now, limit],
  )
}

/** When the next wait is over, or null. */
export async function nextStay(db: Queryable): Promise<Date | null> {
  return (await maybeOne<{ at: Date | null }>(db, 'select min(due_at) as at from rappel.stay where outcome is null'))?.at ?? null
}

/** A wait that is over: how, when, and the change that broke it. */
export interface EndedStay {
  readonly id: number
  readonly outcome: StayOutcome
  readonly ended_at: Date
  readonly ended_by: number | null
}

/** Ends waits. */
export async function endStays(db: Queryable, ended: readonly EndedStay[]): Promise<void> {
  if (ended.length === 0) return
  await touch(
    db,
    `update rappel.stay s set outcome = e.outcome, ended_at = e.ended_at, ended_by = e.ended_by
       from jsonb_to_recordset($1::jsonb) as e (id bigint, outcome text, ended_at timestamptz, ended_by bigint) where s.id = e.id and s.outcome is null`,
    [JSON.stringify(ended)],
  )
}

/** Calls open waits off, by their ids; how many were still open. Only those of workflows that a member keeps, where one is given. */
export function callOffStays(db: Queryable, ids: readonly number[], person: number | null, at: Date, keeper: number | null): Promise<number> {
  return touch(
    db,
    `update rappel.stay s set outcome = 'called off', ended_at = $3, person = $2 from rappel.workflow w
      where s.id = any($1::bigint[]) and s.outcome is null and w.id = s.workflow and ($4::bigint is null or w.keeper = $4)`,
    [ids, person, at, keeper],
  )
}

/** A wait as people see it. */
export interface StayRow {
  readonly id: number
  readonly workflow: string
  readonly version: number
  readonly change: number | null
  readonly table: string
  readonly record: RecordId
  readonly title: string
  readonly since: Date
  readonly due: Date
  readonly outcome: StayOutcome | null
  readonly ended_at: Date | null
  readonly ended_by: number | null
  /** Who called it off. */
  readonly person: string | null
}

/** What waits are listed by; `after` is the id of the last one seen, newest first. */
export interface StaysQuery {
  readonly workflow?: string
  readonly table?: string
  readonly record?: RecordId
  readonly open?: boolean
  readonly keeper?: number | null
  readonly after?: number
  readonly limit: number
}

const SHOWN = `select s.id, w.name as workflow, s.version, s.change_id as change, s.tbl as table, s.rec as record, s.title, s.since, s.due_at as due, s.outcome, s.ended_at, s.ended_by,
  (select p.name from rappel.person p where p.id = s.person) as person
  from rappel.stay s join rappel.workflow w on w.id = s.workflow`

/** Waits, newest first; or the open ones, those due soonest first. */
export function listStays(db: Queryable, query: StaysQuery): Promise<StayRow[]> {
  return many<StayRow>(
    db,
    `${SHOWN}
      where ($1::text is null or w.name = $1) and ($2::text is null or s.tbl = $2) and ($3::jsonb is null or s.rec = $3) and (not $4 or s.outcome is null)
        and ($5::bigint is null or w.keeper = $5) and ($6::bigint is null or s.id < $6) and s.trial is null
      order by case when $4 then s.due_at end, s.id desc limit $7`,
    [
      query.workflow ?? null,
      query.table ?? null,
      query.record === undefined ? null : keyJson(query.record),
      query.open ?? false,
      query.keeper ?? null,
      query.after ?? null,
      query.limit,
    ],
  )
}

/** How many records wait for each workflow. */
export async function countStays(db: Queryable): Promise<Map<string, number>> {
  const rows = await many<{ name: string; count: number }>(
    db,
    'select w.name, count(*) as count from rappel.stay s join rappel.workflow w on w.id = s.workflow where s.outcome is null and s.trial is null group by w.name',
  )
  return new Map(rows.map((r) => [r.name, r.count]))
}

/** How workflows stood at moments, in their order: live, paused, or not there. */
export async function statesAt(db: Queryable, asked: readonly { readonly workflow: number; readonly at: Date }[]): Promise<('live' | 'paused' | null)[]> {
  const rows = await many<{ state: 'live' | 'paused' | null }>(
    db,
    `select (select s.state from rappel.stretch s where s.workflow = a.workflow and s.from_at <= a.at and (s.to_at is null or s.to_at > a.at) order by s.id desc limit 1) as state
       from unnest($1::bigint[], $2::timestamptz[]) with ordinality as a (workflow, at, position) order by a.position`,
    [asked.map((a) => a.workflow), asked.map((a) => a.at)],
  )
  return rows.map((r) => r.state)
}

/** The wait of a workflow that began with a change, or null. */
export async function stayOfChange(db: Queryable, workflow: number, change: number): Promise<StayRow | null> {
  return maybeOne<StayRow>(db, `${SHOWN} where s.workflow = $1 and s.change_id = $2 and s.trial is null`, [workflow, change])
}
