import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { holdOffWorkers } from './changes'
import { many, maybeOne, one, type Queryable, touch, transaction } from './database'
import { type Documents, FROM_WORKFLOWS, STAMPS, type Stamped, withDocuments } from './documents'
import { type Arming, setMoments } from './moments'
import { readNow } from './now'
import { Refused } from './problems'

export type WorkflowState = 'draft' | 'live' | 'paused'

export interface WorkflowRow {
  readonly id: number
  readonly name: string
  readonly state: WorkflowState
  readonly version: number | null
  readonly draft: Workflow
  readonly draft_saved_at: Date
  /** Name of whoever saved the draft last. */
  readonly draft_saved_by: string | null
  /** The document of the version that is live or paused. */
  readonly live: Workflow | null
  readonly created_by: number | null
  /** The member whose own it is, who alone gets its mail; null where it is the organisation's. */
  readonly keeper: number | null
  readonly keeper_email: string | null
}

const PLAIN = `w.name, w.state, w.version, w.draft_saved_at, (select p.name from rappel.person p where p.id = w.draft_saved_by) as draft_saved_by, w.created_by, w.keeper,
    (select p.email from rappel.person p where p.id = w.keeper) as keeper_email`
const SELECT = `select w.id, w.draft, v.document as live, ${PLAIN} ${FROM_WORKFLOWS}`

/** The names of workflows with the table that each is about and how it stands, of all or of those that the member with an e-mail keeps. */
export function listWorkflowNames(db: Queryable, keeperEmail: string | null): Promise<{ name: string; table: string; state: WorkflowState }[]> {
  return many(
    db,
    `select w.name, w.draft ->> 'table' as "table", w.state from rappel.workflow w left join rappel.person p on p.id = w.keeper
      where $1::text is null or rappel.folded(p.email) = rappel.folded($1) order by w.name`,
    [keeperEmail],
  )
}

/** Every workflow by name, or those that one member keeps. */
export async function listWorkflows(db: Queryable, keeper: number | null = null): Promise<WorkflowRow[]> {
  const rows = await many<Omit<WorkflowRow, keyof Documents> & Stamped>(
    db,
    `select ${STAMPS}, ${PLAIN} ${FROM_WORKFLOWS} where $1::bigint is null or w.keeper = $1 order by w.name`,
    [keeper],
  )
  return (await withDocuments(db, rows)).map(({ draft_stamp: _, live_stamp: __, ...row }) => row)
}

/** A workflow that is live, with the version in force. */
export type LiveRow = WorkflowRow & { readonly live: Workflow }

/** Every workflow that is live, by name. */
export const listLive = async (db: Queryable): Promise<LiveRow[]> => (await listWorkflows(db)).filter((row): row is LiveRow => row.state === 'live' && row.live !== null)

/** The name that a workflow has now, or null where it is gone. */
export async function workflowName(db: Queryable, id: number): Promise<string | null> {
  return (await maybeOne<{ name: string }>(db, 'select name from rappel.workflow where id = $1', [id]))?.name ?? null
}

/** One workflow by name, or null. */
export function readWorkflowRow(db: Queryable, name: string): Promise<WorkflowRow | null> {
  return maybeOne<WorkflowRow>(db, `${SELECT} where w.name = $1`, [name])
}

/** Names that a workflow's page or its calls could not be found by: other pages and calls stand there, or they are steps of a path (RFC 3986, 5.2.4). */
const ADDRESSES_TAKEN = ['new', 'import', '.', '..']

function requireOwnAddress(name: string): void {
  if (!ADDRESSES_TAKEN.includes(name)) return
  const message = `A workflow cannot be called ${JSON.stringify(name)}, for something else stands at that address. Choose another name.`
  throw new Refused('invalid', message, [{ code: 'address taken', path: '/name', message }])
}

/**
 * Saves the draft of the workflow with a name; the live version stays as it is. The document's own name may rename it.
 * A new one with a `keeper` is that member's own.
 * With `seen`, the moment of the save that the edits began from, nothing is overwritten that was saved since.
 * @throws Refused `stale` where somebody saved since, `conflict` where another workflow has the new name
 */
export async function saveDraft(
  db: Queryable,
  name: string,
  draft: Workflow,
  by: number | null,
  { seen = null, keeper = null }: { seen?: Date | null; keeper?: number | null } = {},
): Promise<WorkflowRow> {
  if (draft.name !== name) requireOwnAddress(draft.name)
  if (draft.name !== name && (await readWorkflowRow(db, draft.name)))
    throw new Refused('conflict', `There is a workflow called ${JSON.stringify(draft.name)} already. Choose another name.`)
  const changed = await touch(
    db,
    `update rappel.workflow set name = $2, draft = $3, draft_saved_at = clock_timestamp(), draft_saved_by = $4
      where name = $1 and ($5::timestamptz is null or date_trunc('milliseconds', draft_saved_at) = $5)`,
    [name, draft.name, JSON.stringify(draft), by, seen],
  )
  if (changed === 0) {
    const row = seen && (await readWorkflowRow(db, name))
    if (row)
      throw new Refused('stale', `${row.draft_saved_by ?? 'Somebody'} has saved this draft in the meantime. Nothing was overwritten.`, [], {
        savedBy: row.draft_saved_by,
        savedAt: row.draft_saved_at.toISOString(),
      })
    requireOwnAddress(draft.name)
    await touch(db, 'insert into rappel.workflow (name, draft, created_by, draft_saved_by, keeper) values ($1, $2, $3, $3, $4)', [draft.name, JSON.stringify(draft), by, keeper])
  }
  return one<WorkflowRow>(db, `${SELECT} where w.name = $1`, [draft.name])
}

/** Deletes a workflow with its runs and messages; whether there was one. */
export async function deleteWorkflow(pool: Pool, name: string): Promise<boolean> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    const count = await touch(db, 'delete from rappel.workflow where name = $1', [name])
    await db.query('select rappel.next_generation()')
    return count === 1
  })
}

/**
 * Puts the draft live as the next version, from this moment on (`at`, or now); changes that committed before never fire it. Answers the version.
 * `overruled` says why, where examples that fail were overruled; `alreadyTrue` counts what fits now from now on (stays, timetables).
 */
export async function putLive(
  pool: Pool,
  name: string,
  by: number | null,
  { at: given, overruled = null, checked, alreadyTrue = false }: { at?: Date; overruled?: string | null; checked?: Date; alreadyTrue?: boolean } = {},
): Promise<number> {
  return transaction(pool, async (db) => {
    const { workflow, snapshot, at } = await beginSwitch(db, name, given)
    if (checked) await requireSame(db, workflow.id, checked)
    const { next } = await one<{ next: number }>(db, 'select coalesce(max(version), 0) + 1 as next from rappel.workflow_version where workflow = $1', [workflow.id])
    await touch(
      db,
      'insert into rappel.workflow_version (workflow, version, document, live_at, by, overruled) select id, $2, draft, $3, $4, $5 from rappel.workflow where id = $1',
      [workflow.id, next, at, by, overruled],
    )
    await endSwitch(db, workflow.id, next, 'live', snapshot, at, { isNew: true, alreadyTrue })
    return next
  })
}

/** Refuses to go on with another draft than the one that was checked. @throws Refused where it was saved in the meantime */
export async function requireSame(db: Queryable, workflow: number, checked: Date): Promise<void> {
  const { draft_saved_at } = await one<{ draft_saved_at: Date }>(db, 'select draft_saved_at from rappel.workflow where id = $1', [workflow])
  if (draft_saved_at.getTime() !== checked.getTime()) throw new Refused('conflict', 'The draft was saved by somebody while this one was checked. Look at it, then try again.')
}

/** Pauses a live workflow: changes from this moment on pass it by. @throws Refused when it is not live */
export async function pauseWorkflow(pool: Pool, name: string, at?: Date): Promise<void> {
  await switchState(pool, name, 'live', 'paused', 'Only a live workflow can be paused.', at)
}

/** Pauses a live workflow within a transaction that holds workers off; one that is not live stays as it is. */
export async function pauseIn(db: Queryable, name: string): Promise<void> {
  const { workflow, snapshot, at } = await beginSwitch(db, name)
  if (workflow.state === 'live' && workflow.version !== null) await endSwitch(db, workflow.id, workflow.version, 'paused', snapshot, at, { isNew: false, alreadyTrue: false })
}

/** Resumes a paused workflow with the version it had. @throws Refused when it is not paused */
export async function resumeWorkflow(pool: Pool, name: string, at?: Date): Promise<void> {
  await switchState(pool, name, 'paused', 'live', 'Only a paused workflow can be resumed.', at)
}

async function switchState(pool: Pool, name: string, from: WorkflowState, to: 'live' | 'paused', sentence: string, given?: Date): Promise<void> {
  await transaction(pool, async (db) => {
    const { workflow, snapshot, at } = await beginSwitch(db, name, given)
    if (workflow.state !== from || workflow.version === null) throw new Refused('conflict', `${JSON.stringify(name)} is ${workflow.state}. ${sentence}`)
    await endSwitch(db, workflow.id, workflow.version, to, snapshot, at, { isNew: false, alreadyTrue: false })
  })
}

/** A workflow about to be switched, the snapshot that divides what came before from what comes after, and the moment of it. */
interface Switch {
  readonly workflow: { readonly id: number; readonly state: WorkflowState; readonly version: number | null }
  readonly snapshot: string
  readonly at: Date
}

/** Holds workers off, locks the workflow, and takes the snapshot; the moment is now, or the one that is given. */
async function beginSwitch(db: Queryable, name: string, given?: Date): Promise<Switch> {
  await holdOffWorkers(db) // before the row is locked: a worker's runs hold a share of it through their foreign key
  const workflow = await maybeOne<Switch['workflow']>(db, 'select id, state, version from rappel.workflow where name = $1 for update', [name])
  if (!workflow) throw new Refused('not found', `There is no workflow called ${JSON.stringify(name)}.`)
  const { snapshot } = await one<{ snapshot: string }>(db, 'select rappel.snapshot()::text as snapshot')
  return { workflow, snapshot, at: given ?? (await readNow(db)) }
}

async function endSwitch(db: Queryable, workflow: number, version: number, state: 'live' | 'paused', snapshot: string, at: Date, arming: Arming): Promise<void> {
  await touch(db, 'update rappel.stretch set to_snapshot = $2::pg_snapshot, to_at = $3 where workflow = $1 and to_snapshot is null', [workflow, snapshot, at])
  await touch(db, 'insert into rappel.stretch (workflow, version, state, from_snapshot, from_at) values ($1, $2, $3, $4::pg_snapshot, $5)', [
    workflow,
    version,
    state,
    snapshot,
    at,
  ])
  await touch(db, 'update rappel.workflow set state = $2, version = $3 where id = $1', [workflow, state, version])
  await setMoments(db, workflow, version, state, at, arming)
  await db.query('select rappel.next_generation()')
}

/** A stretch in which a version was live, with what is needed to run it. */
export interface LiveStretch {
  readonly workflow: number
  readonly name: string
  readonly version: number
  readonly document: Workflow
  readonly from: string
  readonly to: string | null
}

/**
 * The stretches that changes still to be handled can belong to: those that are live, and those that ended while anything
 * now queued was not yet committed.
 */
export function readLiveStretches(db: Queryable): Promise<LiveStretch[]> {
  return many<LiveStretch>(
    db,
    `select s.workflow, w.name, s.version, v.document, s.from_snapshot::text as from, s.to_snapshot::text as to
       from rappel.stretch s
       join rappel.workflow w on w.id = s.workflow
       join rappel.workflow_version v on v.workflow = s.workflow and v.version = s.version
      where s.state = 'live'
        and (s.to_snapshot is null or s.to_at > now() - interval '1 minute' or pg_snapshot_xmax(s.to_snapshot) > coalesce((select min(xid) from rappel.queue), pg_snapshot_xmax(s.to_snapshot)))
      order by w.name, s.id`,
  )
}

/** The name of a workflow and the document of one of its versions. */
export function readVersion(db: Queryable, workflow: number, version: number): Promise<{ name: string; document: Workflow }> {
  return one(db, 'select w.name, v.document from rappel.workflow w join rappel.workflow_version v on v.workflow = w.id where w.id = $1 and v.version = $2', [workflow, version])
}

/** A version that a workflow has or had. */
export interface VersionRow {
  readonly version: number
  readonly document: Workflow
  readonly live_at: Date
  /** Name of whoever put it live. */
  readonly by: string | null
  /** Why it went live although examples failed; null where none did. */
  readonly overruled: string | null
  /** What was done to it since, such as a field that it speaks of being renamed. */
  readonly notes: readonly string[]
}

/** Every version of a workflow, the newest first. */
export function listVersions(db: Queryable, workflow: number): Promise<VersionRow[]> {
  return many<VersionRow>(
    db,
    `select v.version, v.document, v.live_at, p.name as by, v.overruled, v.notes from rappel.workflow_version v left join rappel.person p on p.id = v.by
      where v.workflow = $1 order by v.version desc`,
    [workflow],
  )
}

/** The version of a workflow whose stretch a change belongs to, and whether it was live or paused; null where there was none. */
export function versionAt(
  db: Queryable,
  workflow: number,
  { transaction }: { readonly transaction: string },
): Promise<{ version: number; state: 'live' | 'paused'; document: Workflow } | null> {
  return maybeOne(
    db,
    `select s.version, s.state, v.document
       from rappel.stretch s join rappel.workflow_version v on v.workflow = s.workflow and v.version = s.version
      where s.workflow = $1 and not pg_visible_in_snapshot($2::text::xid8, s.from_snapshot) and (s.to_snapshot is null or pg_visible_in_snapshot($2::text::xid8, s.to_snapshot))`,
    [workflow, transaction],
  )
}
