import type { Change, ChangedBy, ChangeKind } from '@/core/changes/change'
import type { ClauseResult } from '@/core/conditions/compile'
import type { OccasionKind } from '@/core/cues/occasion'
import type { Crossing, Standing } from '@/core/figures/crossing'
import type { Note } from '@/core/recipients/recipients'
import type { Image, RecordId, Schema } from '@/core/values/tables'
import type { Held, Write } from '@/core/workflow/plan'
import { withChanges } from './changes'
import { many, manyPrepared, maybeOne, type Queryable, touch } from './database'
import { keyJson } from './keys'

/** What a run looked at and did, kept with it. */
export interface Trace {
  /** What set it off where that was no change: its kind, its moment, by whom, and what belongs to its kind. */
  readonly occasion?: KeptOccasion & { readonly kind: OccasionKind }
  readonly change: {
    readonly id: number
    readonly kind: ChangeKind
    readonly at: string
    readonly by: ChangedBy
    readonly changed: readonly string[]
    readonly before: Image | null
    readonly after: Image | null
  } | null
  readonly clauses: readonly ClauseResult[]
  readonly messages: readonly {
    action: string
    path: string
    subject: string
    to: string[]
    cc: string[]
    bcc: string[]
    held?: { reason: Held['reason']; until: string | null }
  }[]
  readonly notes: readonly Note[]
  readonly writes?: readonly Write[]
  readonly notices?: readonly { path: string; channel: string | null; to: readonly string[]; title: string; text: string }[]
}

/** What is kept of an occasion that is no change; its records are read as they are when it is worked out. */
export interface KeptOccasion {
  /** Its moment, ISO 8601. */
  readonly at: string
  readonly by: ChangedBy
  /** A stay's beginning, ISO 8601. */
  readonly since?: string
  readonly per?: 'record' | 'owner' | 'all' | 'none' | 'group'
  /** The group of a figure, per `group`. */
  readonly standing?: Standing
  readonly owner?: number | null
  /** Whether a tick came late. */
  readonly late?: boolean
  /** A press: the records chosen, and the answers. */
  readonly press?: string
  readonly records?: readonly RecordId[]
  readonly asked?: Image
  readonly crossing?: Crossing
}

/** A run that stands behind another: which workflow fired for which record, null where for none. */
export interface ChainLink {
  readonly workflow: number
  readonly name: string
  readonly table: string
  readonly record: RecordId | null
}

export type RunOutcome = 'done' | 'failed' | 'stopped' | 'waiting'

/** How a run stands with its mail and its notices: one that did what it had to is done when they are. */
export type RunState = RunOutcome | `${'mail' | 'notice'} ${'failed' | 'waiting' | 'held'}`

/** A run's occasion as it is written down, with its key. */
export interface WrittenOccasion {
  readonly kind: OccasionKind
  readonly key: string
  readonly change_id: number | null
  readonly occasion: KeptOccasion | null
  readonly tbl: string
  readonly rec: RecordId | null
}

/** A run about to be written. */
export interface NewRun extends WrittenOccasion {
  readonly workflow: number
  readonly version: number
  /** The trial whose run it is, where it is one's. */
  readonly trial: number | null
  readonly title: string
  readonly state: RunOutcome
  readonly why: string
  readonly error: string | null
  readonly trace: Trace
  readonly chain: readonly ChainLink[]
  readonly next_at: Date | null
  /** Whether it is not known yet if it fires. */
  readonly undecided?: boolean
  /** Whether it is run late on purpose, as after a pause. */
  readonly late?: boolean
  readonly depth: number
  readonly changed_at: Date
  readonly at: Date
  /** How often it was tried; once where it is done with at once. */
  readonly attempt?: number
}

/** What there is at most one run of: a workflow, or one of its trials, and an occasion. */
export function runKey({ workflow, key, trial }: Pick<NewRun, 'workflow' | 'key' | 'trial'>): string {
  return `${workflow} ${trial ?? 0} ${key}`
}

/** Writes runs in one statement; an occasion a workflow has handled already is left out. Answers the ids by `runKey`. */
export async function insertRuns(db: Queryable, runs: readonly NewRun[]): Promise<Map<string, number>> {
  if (runs.length === 0) return new Map()
  const rows = await manyPrepared<{ id: number; workflow: number; key: string; trial: number | null }>(
    db,
    'insert runs',
    `insert into rappel.run (workflow, version, trial, kind, key, change_id, occasion, tbl, rec, title, state, why, error, trace, chain, next_at, undecided, late, depth, changed_at, at, attempt)
     select workflow, version, trial, kind, key, change_id, nullif(occasion, 'null'), tbl, nullif(rec, 'null'), title, state, why, error, trace, chain, next_at, coalesce(undecided, false), coalesce(late, false), depth, changed_at, at, coalesce(attempt, 1)
       from jsonb_to_recordset($1::jsonb) as r (workflow bigint, version int, trial bigint, kind text, key text, change_id bigint, occasion jsonb, tbl text, rec jsonb, title text, state text,
            why text, error text, trace jsonb, chain jsonb, next_at timestamptz, undecided boolean, late boolean, depth int, changed_at timestamptz, at timestamptz, attempt int)
     on conflict (workflow, key, coalesce(trial, 0)) do nothing
     returning id, workflow, key, trial`,
    [JSON.stringify(runs)],
  )
  return new Map(rows.map((r) => [runKey(r), r.id]))
}

export interface RunRow {
  readonly id: number
  readonly workflow: string
  readonly version: number
  readonly trial: number | null
  readonly kind: OccasionKind
  /** The change that set it off, or began what stayed so; null where none did. */
  readonly change: number | null
  readonly occasion: KeptOccasion | null
  readonly table: string
  readonly record: RecordId | null
  readonly title: string
  readonly state: RunState
  readonly why: string
  readonly error: string | null
  readonly depth: number
  readonly changed_at: Date
  readonly at: Date
  readonly messages: number
  /** Of them, those that a mail server has accepted. */
  readonly sent: number
}

/** Whether any message of a run is in one of some states. */
const hasMail = (states: string) => `exists (select from rappel.run_message x join rappel.message m on m.id = x.message where x.run = r.id and m.state in (${states}))`

/** Whether any notice of a run is in one of some states. */
const hasNotice = (states: string) => `exists (select from rappel.notice n where n.run = r.id and n.state in (${states}))`

const FAILED = `'failed'`
const GOING = `'queued', 'sending'`
const HELD = `'held'`
const OPEN = `${GOING}, ${HELD}`

const STATE = `case when r.state <> 'done' then r.state when ${hasMail(FAILED)} then 'mail failed' when ${hasNotice(FAILED)} then 'notice failed'
     when ${hasMail(GOING)} then 'mail waiting' when ${hasNotice(GOING)} then 'notice waiting' when ${hasMail(HELD)} then 'mail held' when ${hasNotice(HELD)} then 'notice held' else 'done' end`

/** Whether any mail or notice of a run is in one of some states. */
const has = (states: string) => `(${hasMail(states)} or ${hasNotice(states)})`

/** Whether a run is in a state that is asked for: failed and waiting mean its mail and its notices too. */
const IN_STATE = `case $4::text when 'failed' then r.state = 'failed' or (r.state = 'done' and ${has(FAILED)})
     when 'waiting' then r.state = 'waiting' or (r.state = 'done' and ${has(OPEN)})
     when 'done' then r.state = 'done' and not ${has(`${FAILED}, ${OPEN}`)}
     else r.state = $4 end`

/** Where few are in a state, those are found by the indexes of what is. */
const AMONG: Readonly<Record<string, string>> = {
  failed: amongThose(FAILED, `'failed'`),
  waiting: amongThose(OPEN, `'waiting'`),
}

function amongThose(mail: string, runs: string): string {
  const states = mail.split(', ')
  const ofMail = states.map((state) => `select x.run from rappel.message m join rappel.run_message x on x.message = m.id where m.state = ${state}`)
  const ofNotices = states.map((state) => `select n.run from rappel.notice n where n.state = ${state}`)
  return ` and r.id = any (array (${[`select f.id from rappel.run f where f.state = ${runs}`, ...ofMail, ...ofNotices].join(' union ')}))`
}

const SELECT = `select r.id, w.name as workflow, r.version, r.trial, r.kind, r.change_id as change, r.occasion, r.tbl as table, r.rec as record, r.title, ${STATE} as state, r.why, r.error, r.depth,
    r.changed_at, r.at, (select count(*) from rappel.run_message x where x.run = r.id) as messages,
    (select count(*) from rappel.run_message x join rappel.message m on m.id = x.message where x.run = r.id and m.state = 'sent') as sent`

/** What runs are listed by; `after` is the id of the last one seen, newest first. */
export interface RunsQuery {
  readonly workflow?: string
  readonly table?: string
  readonly record?: RecordId
  readonly state?: string
  readonly trial?: number
  /** An address that mail of the run went to. */
  readonly to?: string
  /** A day of the organisation's zone, ISO 8601. */
  readonly day?: string
  readonly zone?: string
  /** Only runs of the workflows that this member keeps. */
  readonly keeper?: number | null
  readonly after?: number
  readonly limit: number
}

/** Runs, newest first. */
export function listRuns(db: Queryable, query: RunsQuery): Promise<RunRow[]> {
  return many<RunRow>(
    db,
    // which they are first: what is told of each is looked up for these alone
    `with listed as materialized (select r.id from rappel.run r join rappel.workflow w on w.id = r.workflow
      where ($1::text is null or w.name = $1) and ($2::text is null or r.tbl = $2) and ($3::jsonb is null or r.rec = $3)
        and ($4::text is null or ${IN_STATE})${query.state ? (AMONG[query.state] ?? '') : ''} and ($5::bigint is null or r.id < $5) and ($6::bigint is null or r.trial = $6) and ($7::bigint is null or w.keeper = $7)
        and ($8::date is null or (r.at >= $8::date::timestamp at time zone $9 and r.at < ($8::date + 1)::timestamp at time zone $9))
        and ($10::text is null or r.id = any (array (select m.run from rappel.message_recipient x join rappel.run_message m on m.message = x.message where rappel.folded(x.address) = rappel.folded($10))))
      order by r.id desc limit $11)
     ${SELECT} from listed l join rappel.run r on r.id = l.id join rappel.workflow w on w.id = r.workflow order by r.id desc`,
    [
      query.workflow ?? null,
      query.table ?? null,
      query.record === undefined ? null : keyJson(query.record),
      query.state ?? null,
      query.after ?? null,
      query.trial ?? null,
      query.keeper ?? null,
      query.day ?? null,
      query.zone ?? 'UTC',
      query.to ?? null,
      query.limit,
    ],
  )
}

/** One run with its trace and the document of the version that ran, or null. */
export function readRun(
  db: Queryable,
  id: number,
  keeper: number | null = null,
): Promise<(RunRow & { trace: Trace; document: import('@/core/document/document').Workflow }) | null> {
  return maybeOne(
    db,
    `${SELECT}, r.trace, coalesce(v.document, t.document) as document from rappel.run r join rappel.workflow w on w.id = r.workflow
       left join rappel.workflow_version v on v.workflow = r.workflow and v.version = r.version left join rappel.trial t on t.id = r.trial
      where r.id = $1 and ($2::bigint is null or w.keeper = $2)`,
    [id, keeper],
  )
}

/** The changes that set runs off, as they are kept with them, by the run; and what notices each gave. */
export async function readWhatMoved(db: Queryable, runs: readonly number[]): Promise<Map<number, { change: Trace['change']; notices: number }>> {
  if (runs.length === 0) return new Map()
  const rows = await many<{ id: number; change: Trace['change']; notices: number }>(
    db,
    `select id, trace -> 'change' as change, coalesce(jsonb_array_length(trace -> 'notices'), 0) as notices from rappel.run where id = any($1)`,
    [runs],
  )
  return new Map(rows.map(({ id, change, notices }) => [id, { change, notices }]))
}

/** The chains behind runs, each ending with the run itself. */
export async function readChains(db: Queryable, runs: readonly number[]): Promise<Map<number, ChainLink[]>> {
  if (runs.length === 0) return new Map()
  const rows = await many<{ id: number; chain: ChainLink[] }>(db, 'select id, chain from rappel.run where id = any($1)', [runs])
  return new Map(rows.map((r) => [r.id, r.chain]))
}

/** A run that waits for what stood in its way to pass. */
export interface WaitingRun extends WrittenOccasion {
  readonly id: number
  readonly workflow: number
  readonly version: number
  readonly trial: number | null
  /** Which attempt this is; whatever comes of it counts only while the run still has it. */
  readonly attempt: number
  readonly undecided: boolean
  readonly chain: ChainLink[]
  readonly at: Date
}

const WAITING = 'id, workflow, version, trial, kind, key, change_id, occasion, tbl, rec, attempt, undecided, chain, at'

/** Takes one waiting run that is due and holds it until then; null where there is none. One that kills whoever takes it comes back when that is over. */
export function takeWaitingRun(db: Queryable, now: Date, until: Date): Promise<WaitingRun | null> {
  return maybeOne<WaitingRun>(
    db,
    `update rappel.run set attempt = attempt + 1, next_at = $2
      where id = (select id from rappel.run where state = 'waiting' and next_at <= $1 order by next_at for update skip locked limit 1)
     returning ${WAITING}`,
    [now, until],
  )
}

/** Takes runs of presses that nobody has tried yet, in order, and holds them; those that are not finished come back one by one when that is over. */
export async function takePressed(db: Queryable, now: Date, until: Date, limit: number): Promise<WaitingRun[]> {
  const taken = await many<WaitingRun>(
    db,
    `update rappel.run set attempt = attempt + 1, next_at = $2
      where id in (select id from rappel.run where state = 'waiting' and kind = 'press' and attempt = 0 and next_at <= $1 order by id for update skip locked limit $3)
     returning ${WAITING}`,
    [now, until, limit],
  )
  return taken.sort((a, b) => a.id - b.id)
}

/** Locks a run that was taken, until this transaction ends; false where it was called off or taken by others since. */
export async function keepsRun(db: Queryable, { id, attempt }: Pick<WaitingRun, 'id' | 'attempt'>): Promise<boolean> {
  return (await maybeOne(db, `select 1 from rappel.run where id = $1 and state = 'waiting' and attempt = $2 for update`, [id, attempt])) !== null
}

/** Gives a run back that was taken and not tried: it is due again, having been tried so often. */
export async function giveBackRun(db: Queryable, { id, attempt }: Pick<WaitingRun, 'id' | 'attempt'>, now: Date, tried = attempt - 1): Promise<void> {
  await db.query(`update rappel.run set next_at = $3, attempt = $4 where id = $1 and state = 'waiting' and attempt = $2`, [id, attempt, now, tried])
}

/** Lets runs that wait undecided, for a reason that ends in these words, be tried at once; the oldest first, as they came. */
export async function hurryRuns(db: Queryable, reason: string, now: Date): Promise<void> {
  await touch(
    db,
    `with waiting as (select id from rappel.run where state = 'waiting' and undecided and next_at > $2 and right(error, length($1)) = $1 for update skip locked)
     update rappel.run r set next_at = $2::timestamptz + w.place * interval '1 microsecond' from (select id, row_number() over (order by id) as place from waiting) w where r.id = w.id`,
    [reason, now],
  )
}

/** Forgets a run of which it turned out that it does not fire. */
export async function dropRun(db: Queryable, id: number): Promise<void> {
  await db.query('delete from rappel.run where id = $1', [id])
}

/** Writes how a waiting run came out. */
export async function finishRun(
  db: Queryable,
  id: number,
  outcome: { state: RunOutcome; why: string; error: string | null; trace: Trace | null; next_at: Date | null },
): Promise<void> {
  await db.query(`update rappel.run set state = $2, why = $3, error = $4, trace = coalesce($5, trace), next_at = $6, undecided = false where id = $1`, [
    id,
    outcome.state,
    outcome.why,
    outcome.error,
    outcome.trace && JSON.stringify(outcome.trace),
    outcome.next_at,
  ])
}

/** What came of a change: how the run went, and the notes of its trace. */
export interface RunOfChange {
  readonly id: number
  readonly state: RunState
  readonly why: string
  readonly error: string | null
  readonly notes: readonly Note[]
}

/** What a workflow's run for a change came to, or null when there was none. */
export function runOfChange(db: Queryable, workflow: number, change: number): Promise<RunOfChange | null> {
  return maybeOne(
    db,
    `select r.id, ${STATE} as state, r.why, r.error, coalesce(r.trace->'notes', '[]') as notes from rappel.run r where r.workflow = $1 and r.key in ($2::text, 'stay ' || $2::text) and r.trial is null`,
    [workflow, change],
  )
}

/** Adds to the notes of a run that is written already. */
export async function addNotes(db: Queryable, run: number, notes: readonly Note[]): Promise<void> {
  await touch(db, `update rappel.run set trace = jsonb_set(trace, '{notes}', coalesce(trace -> 'notes', '[]') || $2::jsonb) where id = $1`, [run, JSON.stringify(notes)])
}

/** The changes of a table that a workflow fired for, of the newest so many runs, in order; trial runs aside. */
export async function changesFiredFor(db: Queryable, schema: Schema, table: string, workflow: string, limit: number): Promise<Change[]> {
  const rows = await many<{ change: number }>(
    db,
    `select r.change_id as change from rappel.run r where r.workflow = (select id from rappel.workflow where name = $1) and r.change_id is not null and r.trial is null order by r.id desc limit $2`,
    [workflow, limit],
  )
  const ids = rows.map((r) => r.change)
  return withChanges(db, schema, table, [], ids)
}
