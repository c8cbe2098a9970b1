import type { RecordId } from '@/core/values/tables'
import { many, maybeOne, type Queryable, touch } from './database'
import { keyJson } from './keys'

/** A timetable that is live. */
export interface TimetableRow {
  readonly workflow: number
  readonly version: number
  /** When it looked last at what fits; what fitted then is noted. */
  readonly looked_at: Date
  /** Its moments up to here are done with. */
  readonly done_until: Date
  readonly next_at: Date | null
}

/** Sets a timetable that goes live, or resumes: its moments from `from` on are to come. When it looked last stays as it was where it is the same version. */
export async function setTimetable(db: Queryable, workflow: number, version: number, from: Date, next: Date | null): Promise<void> {
  await touch(
    db,
    `insert into rappel.timetable as t (workflow, version, looked_at, done_until, next_at) values ($1, $2, $3, $3, $4)
     on conflict (workflow) do update set version = $2, done_until = $3, next_at = $4, looked_at = case when t.version = $2 then t.looked_at else $3 end`,
    [workflow, version, from, next],
  )
}

/** Stops a timetable that is paused, or is one no more; what it noted stays. */
export async function stopTimetable(db: Queryable, workflow: number): Promise<void> {
  await touch(db, 'update rappel.timetable set next_at = null where workflow = $1', [workflow])
}

/** Takes one timetable whose moment has come, for this transaction; null where there is none. */
export function takeTimetable(db: Queryable, now: Date): Promise<TimetableRow | null> {
  return maybeOne<TimetableRow>(
    db,
    'select workflow, version, looked_at, done_until, next_at from rappel.timetable where next_at <= $1 order by next_at limit 1 for update skip locked',
    [now],
  )
}

/** When the next moment of any timetable comes, or null. */
export async function nextMoment(db: Queryable): Promise<Date | null> {
  return (await maybeOne<{ at: Date | null }>(db, 'select min(next_at) as at from rappel.timetable'))?.at ?? null
}

/** Notes that a timetable's moments up to one are done with, and when the next comes. */
export async function moveTimetable(db: Queryable, workflow: number, doneUntil: Date, next: Date | null, lookedAt: Date | null): Promise<void> {
  await touch(db, 'update rappel.timetable set done_until = $2, next_at = $3, looked_at = coalesce($4, looked_at) where workflow = $1', [workflow, doneUntil, next, lookedAt])
}

/** A moment of a timetable that is being gone through. */
export interface TickRow {
  readonly id: number
  readonly workflow: number
  readonly version: number
  readonly at: Date
  readonly before_at: Date
  readonly late: boolean
  /** Whether what fits is run; else it is only noted, or begins to wait. */
  readonly fires: boolean
  readonly cursor: RecordId | null
  readonly fitted: number
  readonly fired: number
  readonly ownerless: number
}

const TICK = 't.id, t.workflow, t.version, t.at, t.before_at, t.late, t.fires, t.cursor, t.fitted, t.fired, t.ownerless'

/** Begins a moment of a timetable; one that was begun already is passed over. */
export async function beginTick(db: Queryable, tick: Pick<TickRow, 'workflow' | 'version' | 'at' | 'before_at' | 'late' | 'fires'>, now: Date): Promise<void> {
  await touch(db, 'insert into rappel.tick (workflow, version, at, before_at, late, fires, started_at) values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing', [
    tick.workflow,
    tick.version,
    tick.at,
    tick.before_at,
    tick.late,
    tick.fires,
    now,
  ])
}

/** Takes one moment that is not gone through yet, none of `but`, for this transaction; null where there is none, or others have it. */
export function takeTick(db: Queryable, but: readonly number[]): Promise<TickRow | null> {
  return maybeOne<TickRow>(
    db,
    `select ${TICK} from rappel.tick t where t.done_at is null and t.id <> all($1::bigint[])
        and not exists (select from rappel.tick e where e.workflow = t.workflow and e.done_at is null and e.at < t.at) order by t.at limit 1 for update of t skip locked`,
    [but],
  )
}

/** Notes how far a moment was gone through. */
export async function moveTick(db: Queryable, tick: Pick<TickRow, 'id' | 'cursor' | 'fitted' | 'fired' | 'ownerless'>, doneAt: Date | null): Promise<void> {
  await touch(db, 'update rappel.tick set cursor = $2, fitted = $3, fired = $4, ownerless = $5, done_at = $6 where id = $1', [
    tick.id,
    tick.cursor === null ? null : keyJson(tick.cursor),
    tick.fitted,
    tick.fired,
    tick.ownerless,
    doneAt,
  ])
}

/** Of some records, those that fitted when a timetable looked at a moment. */
export async function fittedAt(db: Queryable, workflow: number, version: number, records: readonly RecordId[], at: Date): Promise<Set<RecordId>> {
  const rows = await many<{ rec: RecordId }>(db, 'select rec from rappel.fitted where workflow = $1 and version = $2 and rec = any($3::jsonb[]) and looked_at = $4', [
    workflow,
    version,
    records.map(keyJson),
    at,
  ])
  return new Set(rows.map((r) => r.rec))
}

/** Notes that records fit as a timetable looks. */
export async function noteFitted(db: Queryable, workflow: number, version: number, records: readonly RecordId[], at: Date): Promise<void> {
  if (records.length === 0) return
  await touch(
    db,
    `insert into rappel.fitted (workflow, version, rec, looked_at) select $1, $2, unnest($3::jsonb[]), $4
     on conflict (workflow, version, rec) do update set looked_at = excluded.looked_at`,
    [workflow, version, records.map(keyJson), at],
  )
}

/** Forgets what fitted at moments before one, and under other versions. */
export async function forgetFitted(db: Queryable, workflow: number, version: number, before: Date): Promise<void> {
  await touch(db, 'delete from rappel.fitted where workflow = $1 and (version <> $2 or looked_at < $3)', [workflow, version, before])
}

/** A moment of a timetable as people see it. */
export interface TickSummary {
  readonly at: Date
  readonly late: boolean
  readonly fitted: number
  readonly fired: number
  readonly ownerless: number
  readonly done: boolean
}

/** The last moments of a workflow's timetable, newest first. */
export function listTicks(db: Queryable, workflow: string, limit: number): Promise<TickSummary[]> {
  return many<TickSummary>(
    db,
    `select t.at, t.late, t.fitted, t.fired, t.ownerless, t.done_at is not null as done from rappel.tick t join rappel.workflow w on w.id = t.workflow
      where w.name = $1 and t.fires order by t.at desc limit $2`,
    [workflow, limit],
  )
}
