import type { Change } from '@/core/changes/change'
import type { Finding } from '@/core/review/review'
import { type TableDef, titleOf } from '@/core/values/tables'
import type { Workflow } from '@/core/workflow/document'
import { compileWorkflow, HELD_BEFORE, isCued, type Plan, type Surroundings } from '@/core/workflow/evaluate'
import { latestChanges } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { type PlaceholderSample, samplePlaceholders } from './placeholders'
import { settle } from './settle'

const LOOKED_AT = 500
const SHOWN = 12

/** A past change as a choice to look at. */
export interface Sample {
  readonly id: number
  readonly record: number
  readonly title: string
  readonly kind: Change['kind']
  readonly at: Date
  readonly fires: boolean
}

/** What the newest changes say about a workflow. */
export interface Evidence {
  /** How many changes were looked at, and how many of them are of the cue's kinds and fields. */
  readonly changes: number
  readonly cued: number
  /** Changes still alive at each clause, by JSON Pointer; within all, each after those before it. */
  readonly alive: Readonly<Record<string, number>>
  readonly firings: number
  /** Changes at which the conditions held as they had before, so that only `every` fires there; and the title of the newest one's record. */
  readonly heldBefore: { readonly count: number; readonly example: string | null }
  readonly samples: readonly Sample[]
  /** The change that `plan` is about. */
  readonly sample: number | null
  readonly plan: Plan | null
  /** Where that change does not fire: what the workflow would do if it did. */
  readonly preview: Plan | null
  readonly fault: string | null
  readonly placeholders: readonly PlaceholderSample[]
}

/** The part of a workflow that its review lets run: clauses with errors hold nothing back, emails with errors are left out. */
function runnable(workflow: Workflow, findings: readonly Finding[]): Workflow {
  const faulty = (path: string) => findings.some((f) => f.level === 'error' && (f.path === path || f.path.startsWith(`${path}/`)))
  const { conditions } = workflow
  return {
    ...workflow,
    bringIn: workflow.bringIn?.map((b, i) => ({ ...b, muted: b.muted || faulty(`/bringIn/${i}`) })),
    values: workflow.values?.filter((_, i) => !faulty(`/values/${i}`)),
    actions: workflow.actions.map((a, i) => ({ ...a, muted: a.muted || faulty(`/actions/${i}`) })),
    ...(conditions && faulty('/conditions') ? { conditions: withoutFaults(conditions, '/conditions', faulty) } : {}),
  }
}

function withoutFaults(node: NonNullable<Workflow['conditions']>, path: string, faulty: (path: string) => boolean): NonNullable<Workflow['conditions']> {
  if ('op' in node) return faulty(path) ? { ...node, muted: true } : node
  const [joint, children] = Object.entries(node)[0] as [string, NonNullable<Workflow['conditions']>[]]
  return { [joint]: children.map((child, i) => withoutFaults(child, `${path}/${joint}/${i}`, faulty)) } as unknown as NonNullable<Workflow['conditions']>
}

/** Evaluates a draft over the newest changes of its table; with linked data as it is now. Nothing is sent or written. */
export async function gatherEvidence(db: Queryable, workflow: Workflow, findings: readonly Finding[], surroundings: Surroundings, sample: number | null): Promise<Evidence> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const changes = await latestChanges(db, surroundings.schema, workflow.table, null, LOOKED_AT)
  const settled = await settle(
    db,
    changes.map((change) => ({ compiled, change })),
    true,
    { setting: surroundings, dry: true },
  )
  const plans = settled.map((s) => ('plan' in s ? s.plan : null))
  const cued = changes.map((change) => isCued(compiled, change))
  const shown = pickSamples(changes, plans, cued)
  const chosen = changes.findIndex((c) => c.id === (sample ?? shown[0]))
  const outcome = chosen >= 0 ? settled[chosen] : undefined
  const plan = outcome && 'plan' in outcome ? outcome.plan : null
  return {
    changes: changes.length,
    cued: cued.filter(Boolean).length,
    alive: countAlive(plans),
    firings: plans.filter((p) => p?.fires).length,
    heldBefore: countHeldBefore(changes, plans, compiled.table),
    samples: shown.map((id) => sampleOf(changes, plans, id, compiled.table)),
    sample: chosen >= 0 ? (changes[chosen] as Change).id : null,
    plan,
    preview: plan && !plan.fires ? await previewOf(db, compiled.workflow, changes[chosen] as Change, surroundings) : null,
    fault: outcome && 'fault' in outcome ? outcome.fault : null,
    placeholders: await samplePlaceholders(
      db,
      surroundings.schema,
      surroundings.organisation,
      compiled.table,
      pickPast(changes, plans, cued),
      chosen >= 0 ? (changes[chosen] as Change) : null,
    ),
  }
}

function countHeldBefore(changes: readonly Change[], plans: readonly (Plan | null)[], table: TableDef): Evidence['heldBefore'] {
  const held = changes.filter((_, i) => plans[i]?.why === HELD_BEFORE)
  const newest = held[0]
  return { count: held.length, example: newest ? titleOf(table, newest.after ?? newest.before ?? {}) : null }
}

/** The past that blanks are counted over: what fired, else what was cued. */
function pickPast(changes: readonly Change[], plans: readonly (Plan | null)[], cued: readonly boolean[]): Change[] {
  const fired = changes.filter((_, i) => plans[i]?.fires)
  return fired.length ? fired : changes.filter((_, i) => cued[i])
}

/** What a workflow would do about a change if nothing held it back; null where even that fails. */
async function previewOf(db: Queryable, { conditions: _, ...workflow }: Workflow, change: Change, surroundings: Surroundings): Promise<Plan | null> {
  const unheld = { ...workflow, cue: { kind: 'record' as const, on: [change.kind] } }
  const [settled] = await settle(db, [{ compiled: compileWorkflow(unheld, surroundings), change }], false, { setting: surroundings, dry: true })
  return settled && 'plan' in settled ? settled.plan : null
}

/** Changes that fire first, then those that were cued, the newest of each. */
function pickSamples(changes: readonly Change[], plans: readonly (Plan | null)[], cued: readonly boolean[]): number[] {
  const ids = (wanted: (i: number) => boolean) => changes.filter((_, i) => wanted(i)).map((c) => c.id)
  const firing = ids((i) => plans[i]?.fires ?? false)
  const quiet = ids((i) => (cued[i] ?? false) && !plans[i]?.fires)
  return [...firing.slice(0, SHOWN - 4), ...quiet].slice(0, SHOWN)
}

function sampleOf(changes: readonly Change[], plans: readonly (Plan | null)[], id: number, table: TableDef): Sample {
  const i = changes.findIndex((c) => c.id === id)
  const change = changes[i] as Change
  return { id, record: change.record, title: titleOf(table, change.after ?? change.before ?? {}), kind: change.kind, at: change.at, fires: plans[i]?.fires ?? false }
}

/** Counts, clause by clause in reading order, the changes for which it and every clause before it held. */
function countAlive(plans: readonly (Plan | null)[]): Record<string, number> {
  const alive: Record<string, number> = {}
  for (const plan of plans) {
    for (const clause of plan?.clauses ?? []) {
      alive[clause.path] ??= 0
      if (!clause.holds) break
      alive[clause.path] = (alive[clause.path] ?? 0) + 1
    }
  }
  return alive
}
