import { changeOccasion } from '@/core/cues/occasion'
import { notWaitedFor } from '@/core/cues/record'
import { nothing } from '@/core/workflow/plan'
import { takeLate } from '@/store/catch-up'
import { type BareChange, takeBareChange } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { insertRuns, type NewRun } from '@/store/runs'
import { isInForce } from './fire'
import { type Post, traceOf } from './persist'
import type { LiveWorkflow, Program } from './program'

/** What became of a shard's oldest changes. */
export interface Handled {
  readonly changes: number
  readonly runs: number
}

/** Takes a shard's oldest change off the queue undecided: every workflow that may have fired for it gets a failed run that says why, and can be tried again. */
export async function setAside(db: Queryable, shard: number, program: Program, post: Post, why: string): Promise<Handled> {
  const change = await takeBareChange(db, shard)
  if (!change) return { changes: 0, runs: 0 }
  const lives = (program.byTable.get(change.table) ?? []).filter((live) => isInForce(live, change) && mayWait(live, change))
  await insertRuns(
    db,
    lives.map((live) => failedRun(live, change, why, post)),
  )
  return { changes: 1, runs: lives.length }
}

/** The same for the oldest change that was to be handled late; how many there were. */
export async function setLateAside(db: Queryable, post: Post, why: string): Promise<number> {
  const late = await takeLate(db)
  if (!late) return 0
  const { workflow, name, version, change } = late
  if (change) await insertRuns(db, [failedRun({ workflow, name, version }, change, why, post)])
  return 1
}

/** Whether a workflow's cue is of the kind; its conditions are what could not be looked at. */
function mayWait({ compiled }: LiveWorkflow, change: BareChange): boolean {
  return compiled?.cue.kind !== 'record' || notWaitedFor(compiled.cue, compiled.table.name, { ...change, changed: null }) === null
}

function failedRun(live: Pick<LiveWorkflow, 'workflow' | 'name' | 'version' | 'trial'>, change: BareChange, error: string, { clock }: Post): NewRun {
  const { id, table, record, depth, at } = change
  return {
    workflow: live.workflow,
    version: live.version,
    trial: live.trial?.id ?? null,
    kind: 'change',
    key: String(id),
    change_id: id,
    occasion: null,
    tbl: table,
    rec: record,
    title: `${table} ${record}`,
    state: 'failed',
    why: 'The run failed and did nothing.',
    error,
    trace: traceOf(changeOccasion({ ...change, before: null, after: null, changed: [] }), nothing('not looked at', '')),
    chain: [{ workflow: live.workflow, name: live.name, table, record }],
    next_at: null,
    depth,
    changed_at: at,
    at: clock(),
  }
}
