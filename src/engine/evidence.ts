import type { Change } from '@/core/changes/change'
import { runnable } from '@/core/rehearsal/runnable'
import { pointedAt } from '@/core/rehearsal/tally'
import type { Finding } from '@/core/review/review'
import { titleOf } from '@/core/values/tables'
import type { Workflow } from '@/core/workflow/document'
import { type CompiledWorkflow, compileWorkflow, HELD_BEFORE, type Plan, type Surroundings } from '@/core/workflow/evaluate'
import { readChange } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { changesHolding, type HistoryQuery, netChangesOf } from '@/store/history'
import { type PlaceholderSample, samplePlaceholders } from './placeholders'
import { historyQuery, narrowOver } from './rehearsal/narrow'
import { Past } from './rehearsal/past'
import { bare } from './rehearsal/rehearse'

const SHOWN = 12
/** How many of the newest changes that may fire are looked at, and of those that are cued. */
const LIKELY = 200
const ANY = 60

/** A past change as a choice to look at. */
export interface Sample {
  readonly id: number
  readonly record: number
  readonly title: string
  readonly kind: Change['kind']
  readonly at: Date
  readonly fires: boolean
}

/** What the recorded changes of a span say about a workflow. */
export interface Evidence {
  /** How many days it looks back, how many changes that was, and how many of them are of the cue's kinds and fields. */
  readonly days: number
  readonly changes: number
  readonly cued: number
  /** Changes still alive at each line of the conditions, by JSON Pointer; within all, each after those before it. */
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

/** Evaluates a draft over the recorded changes of its table in the last days, with linked data as it stood. Nothing is sent or written. */
export async function gatherEvidence(
  db: Queryable,
  workflow: Workflow,
  findings: readonly Finding[],
  surroundings: Surroundings,
  sample: number | null,
  { days = 30, signal }: { days?: number; signal?: AbortSignal } = {},
): Promise<Evidence> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const deciding = bare(compiled)
  const past = new Past(db, { setting: surroundings, dry: true })
  const query = await historyQuery(db, compiled, spanOfDays(days))
  const [narrowing, { firing, quiet, held }] = await Promise.all([narrowOver(db, deciding, query, signal), newest(db, query, deciding, past)])
  const shown = [...firing.slice(0, SHOWN - 4), ...quiet].slice(0, SHOWN)
  const chosen = await chosenOf(db, surroundings, shown, sample)
  const [outcome] = chosen ? await past.settle(compiled, [chosen], true) : []
  const plan = outcome && 'plan' in outcome ? outcome.plan : null
  return {
    days,
    changes: narrowing.changes,
    cued: narrowing.cued,
    alive: Object.fromEntries(narrowing.survivors.map((s) => [s.path, s.count])),
    firings: narrowing.firings,
    heldBefore: { count: narrowing.heldBefore, example: held ? titleOf(compiled.table, held.after ?? held.before ?? {}) : null },
    samples: shown.map((change) => ({ ...pointedAt(change, compiled.table), fires: firing.includes(change) })),
    sample: chosen?.id ?? null,
    plan,
    preview: plan && chosen && !plan.fires ? await previewOf(compiled, chosen, past) : null,
    fault: outcome && 'fault' in outcome ? outcome.fault : null,
    placeholders: await samplePlaceholders(db, surroundings.schema, surroundings.organisation, compiled.table, firing.length ? firing : quiet, chosen),
  }
}

/** The span of the last days, up to this moment. */
export function spanOfDays(days: number): { from: Date; to: Date } {
  return { from: new Date(Date.now() - days * 86_400_000), to: new Date(Date.now() + 60_000) }
}

/** Of the newest changes that the cue waits for: those that fire, those that do not, and the newest at which the conditions held as they had before. */
async function newest(db: Queryable, query: HistoryQuery, compiled: CompiledWorkflow, past: Past): Promise<{ firing: Change[]; quiet: Change[]; held: Change | null }> {
  const { conditions, firing: way = 'entering' } = compiled.workflow
  const likely = await changesHolding(db, query, { condition: conditions, firing: way, limit: LIKELY })
  const any = conditions ? await changesHolding(db, query, { condition: undefined, firing: 'every', limit: ANY }) : []
  const changes = [...new Map([...likely, ...any, ...(await netChangesOf(db, query))].map((c) => [c.id, c])).values()].sort((a, b) => b.id - a.id)
  const settled = await past.settle(compiled, changes, false)
  const plans = settled.map((outcome) => ('plan' in outcome ? outcome.plan : null))
  return {
    firing: changes.filter((_, i) => plans[i]?.fires),
    quiet: changes.filter((_, i) => !plans[i]?.fires),
    held: changes.find((_, i) => plans[i]?.why === HELD_BEFORE) ?? null,
  }
}

async function chosenOf(db: Queryable, { schema }: Surroundings, shown: readonly Change[], sample: number | null): Promise<Change | null> {
  if (sample === null) return shown[0] ?? null
  return shown.find((c) => c.id === sample) ?? (await readChange(db, schema, sample))
}

/** What a workflow would do about a change if nothing held it back; null where even that fails. */
async function previewOf({ workflow, surroundings }: CompiledWorkflow, change: Change, past: Past): Promise<Plan | null> {
  const { conditions: _, ...rest } = workflow
  const unheld = { ...rest, cue: { kind: 'record' as const, on: [change.kind] } }
  const [settled] = await past.settle(compileWorkflow(unheld, surroundings), [change], false)
  return settled && 'plan' in settled ? settled.plan : null
}
