import { changesByRun, readBareRow } from './bare'
import { many, maybeOne, one, type Queryable, touch } from './database'

/** Failed runs that are tried again: one, those alike to one, or all that a list shows. */
export interface RetryAsked {
  readonly ids?: readonly number[]
  /** A failed run; those of its workflow that failed for the same reason are meant, itself among them. */
  readonly like?: number
  /** Only runs of the workflows that this member keeps. */
  readonly keeper?: number | null
}

const ASKED = `r.trial is null and ($2::bigint is null or w.keeper = $2)
   and ($1::bigint[] is null or r.id = any($1))
   and ($3::bigint is null or exists (select from rappel.run l where l.id = $3 and l.workflow = r.workflow and l.error is not distinct from r.error))`

const params = ({ ids, like, keeper }: RetryAsked) => [ids ?? null, keeper ?? null, like ?? null]

/**
 * Has failed runs tried again, at once and with the version that is live now; how many.
 * Those of workflows that are not live, and of trials, stay as they are.
 */
export async function retryRuns(db: Queryable, asked: RetryAsked): Promise<number> {
  return touch(
    db,
    `update rappel.run set state = 'waiting', version = t.version, next_at = now(), attempt = 0, late = true
       from (select r.id, w.version from rappel.run r join rappel.workflow w on w.id = r.workflow
              where r.state = 'failed' and w.state = 'live' and ${ASKED} for update of r) t
      where run.id = t.id`,
    params(asked),
  )
}

/** Calls off runs that wait to be tried again: they stay failed, for the reason they failed last; how many. */
export async function callOffRuns(db: Queryable, asked: RetryAsked): Promise<number> {
  return touch(
    db,
    `update rappel.run set state = 'failed', next_at = null, error = coalesce(error, 'It was called off before it was tried again.')
       from (select r.id from rappel.run r join rappel.workflow w on w.id = r.workflow where r.state = 'waiting' and ${ASKED} for update of r skip locked) t
      where run.id = t.id`,
    params(asked),
  )
}

/** How many runs of the same workflow failed for the same reason as one, itself among them. */
export async function countAlike(db: Queryable, run: number): Promise<number> {
  const { count } = await one<{ count: number }>(
    db,
    `select count(*) as count from rappel.run r join rappel.run l on l.workflow = r.workflow and l.error is not distinct from r.error
      where l.id = $1 and r.state = 'failed' and r.trial is null`,
    [run],
  )
  return count
}

/** A run that stands next to another in a chain. */
export interface Relative {
  readonly id: number
  readonly workflow: string
  readonly title: string
  readonly state: string
}

/** The run whose effects a run's change was, and the runs that its own effects set off. */
export async function relativesOf(db: Queryable, run: number): Promise<{ causedBy: Relative | null; caused: Relative[] }> {
  const select = `select x.id, w.name as workflow, x.title, x.state from`
  const own = await maybeOne<{ tbl: string; change: number | null; since: Date }>(db, 'select tbl, change_id as change, changed_at as since from rappel.run where id = $1', [run])
  if (!own) return { causedBy: null, caused: [] }
  const cause = own.change === null ? null : (await readBareRow(db, own.change, own.tbl))?.run
  const [causedBy] = cause ? await many<Relative>(db, `${select} rappel.run x join rappel.workflow w on w.id = x.workflow where x.id = $1`, [cause]) : []
  const written = await many<{ table: string }>(
    db,
    `select distinct w ->> 'table' as "table" from rappel.run r, jsonb_array_elements(r.trace -> 'writes') w where r.id = $1 and to_regclass(rappel.log_name(w ->> 'table')) is not null`,
    [run],
  )
  const changes: number[] = []
  for (const { table } of written) changes.push(...(await changesByRun(db, table, run, own.since)))
  const caused = changes.length
    ? await many<Relative>(db, `${select} rappel.run x join rappel.workflow w on w.id = x.workflow where x.change_id = any($1) order by x.id limit 50`, [changes])
    : []
  return { causedBy: causedBy ?? null, caused }
}
