import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { stayKey, stayOccasion } from '@/core/cues/occasion'
import type { ExampleOccasion, Workflow } from '@/core/document/document'
import { runnable } from '@/core/rehearsal/runnable'
import { pointedAt } from '@/core/rehearsal/tally'
import type { Finding } from '@/core/review/review'
import { after, type Duration, durationWords } from '@/core/values/duration'
import { type RecordId, titleOf } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { readChange } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { changesHolding, type HistoryQuery, newestPart } from '@/store/history'
import { readNow } from '@/store/now'
import { type PlaceholderSample, samplePlaceholders } from './placeholders'
import { staysOf } from './program'
import { followThrough, type StaysTold, toldStays } from './rehearsal/follow-through'
import { changesOf, historyQuery, narrow } from './rehearsal/narrow'
import { Past } from './rehearsal/past'
import { bare } from './rehearsal/rehearse'
import type { Settled } from './settle'

const SHOWN = 12
/** How many of the newest changes that fire are looked at, and of those that are cued. */
const LIKELY = 200
const ANY = 60
/** Becomings true that are followed for the margin; a rehearsal follows all. */
const MOST_FOLLOWED = 1_000

/** A past change as a choice to look at. */
export interface Sample {
  readonly id: RecordId
  readonly record: RecordId
  readonly title: string
  readonly kind: Change['kind']
  readonly at: Date
  readonly fires: boolean
  /** The e-mail of its owner, where that is of matter. */
  readonly owner?: string | null
  /** What a trial of it is of, where it is of a group or a crossing. */
  readonly occasion?: ExampleOccasion
}

/** What the recorded changes of a span say about a workflow. */
export interface Evidence {
  /** How many days it looks back, how many changes that was, and how many of them are of the cue's kinds and fields. */
  readonly days: number
  /** Where it is of the newest of these changes only: since when. */
  readonly since?: Date
  readonly changes: number
  readonly cued: number
  /** Changes still alive at each line of the conditions, by JSON Pointer; within all, each after those before it. */
  readonly alive: Readonly<Record<string, number>>
  readonly firings: number
  /** Changes at which the conditions held as they had before, so that only `every` fires there; and the title of the newest one's record. */
  readonly heldBefore: { readonly count: number; readonly example: string | null }
  readonly samples: readonly Sample[]
  /** The change that `plan` is about. */
  readonly sample: RecordId | null
  readonly plan: Plan | null
  /** Where that change does not fire: what the workflow would do if it did. */
  readonly preview: Plan | null
  readonly fault: string | null
  readonly placeholders: readonly PlaceholderSample[]
  /** Where it looks at records as they stand: how many fit now, and when a timetable comes next. Samples are then records. */
  readonly standing?: { readonly fits: number; readonly next: readonly Date[] }
  /** What became of what was to stay so. */
  readonly stays?: StaysTold
}

/** Evaluates a draft over the recorded changes of its table in the last days, or over the `newest` of them where there are more, with linked data as it stood; `reach` is the JSON Pointer of a line that the sample is to reach. Nothing is sent or written. */
export async function gatherEvidence(
  db: Pool,
  workflow: Workflow,
  findings: readonly Finding[],
  surroundings: Surroundings,
  sample: RecordId | null,
  { days = 30, newest: most, reach, signal }: { days?: number; newest?: number; reach?: string; signal?: AbortSignal } = {},
): Promise<Evidence> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const stays = staysOf(workflow)
  const deciding = bare(compiled)
  const past = new Past(db, { setting: surroundings, dry: true })
  const span = await spanOfDays(db, days)
  const part = most === undefined ? span : await newestPart(db, compiled.table.name, span, most)
  const query = await historyQuery(db, compiled, part)
  const { narrowing, firing: ids } = await narrow(db, deciding, query, { signal })
  const { firing, quiet, held } = await newest(db, query, ids, deciding, past)
  const shown = [...firing.slice(0, SHOWN - 4), ...quiet].slice(0, SHOWN)
  const reaching = sample === null && reach !== undefined ? await reachingOf(past, compiled, firing, reach) : null
  const chosen = reaching ?? (await chosenOf(db, surroundings, workflow.table, shown, sample))
  const [outcome] = chosen ? await (stays ? settleStaying(past, compiled, deciding, stays, chosen) : past.settle(compiled, [chosen], true)) : []
  const plan = outcome && 'plan' in outcome ? outcome.plan : null
  return {
    days,
    ...(part === span ? {} : { since: part.from }),
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
    ...(stays ? { stays: await staysIn(db, past, compiled, stays, query, ids) } : {}),
    placeholders: await samplePlaceholders(db, surroundings.schema, surroundings.organisation, compiled.table, firing.length ? firing : quiet, chosen),
  }
}

/** What a change comes to where what becomes true is to stay so: what would happen if it does. */
async function settleStaying(past: Past, compiled: CompiledWorkflow, deciding: CompiledWorkflow, stays: Duration, change: Change): Promise<Settled[]> {
  const [began] = await past.settle(deciding, [change], true)
  if (!began || 'fault' in began || !began.plan.fires) return began ? [began] : []
  const { table, record, at, by } = change
  const due = after(at, stays, compiled.surroundings.organisation.zone)
  const occasion = stayOccasion({ key: stayKey(change.id), table, record, change, since: at, due, by, image: change.after ?? {} })
  const [settled] = await past.settleAt(compiled, [{ occasion, position: change.id }], false)
  const { cue } = compiled.workflow
  const why = `${began.plan.why} If it stays so for ${cue.kind === 'record' && cue.stays ? durationWords(cue.stays) : 'long enough'}, this happens.`
  return settled && 'plan' in settled ? [{ plan: { ...settled.plan, clauses: began.plan.clauses, ...(settled.plan.fires ? { why } : {}) } }] : settled ? [settled] : []
}

/** What became of the newest of what became true in a span. */
async function staysIn(db: Pool, past: Past, compiled: CompiledWorkflow, stays: Duration, query: HistoryQuery, began: readonly number[]): Promise<StaysTold> {
  const changes = await changesOf(db, query, began.slice(0, MOST_FOLLOWED))
  const fates = await followThrough(db, past, compiled, stays, changes, await readNow(db))
  return { ...toldStays(fates, fates.filter((f) => f.kind === 'stayed').length), began: began.length }
}

/** The span of the last days, up to this moment. */
export async function spanOfDays(db: Queryable, days: number): Promise<{ from: Date; to: Date }> {
  const now = (await readNow(db)).getTime()
  return { from: new Date(now - days * 86_400_000), to: new Date(now + 60_000) }
}

/** The newest changes that fire, and of the newest that the cue waits for those that do not, and the newest at which the conditions held as they had before. */
async function newest(
  db: Queryable,
  query: HistoryQuery,
  ids: readonly number[],
  compiled: CompiledWorkflow,
  past: Past,
): Promise<{ firing: Change[]; quiet: Change[]; held: Change | null }> {
  const fires = new Set(ids)
  const [firing, single] = await Promise.all([changesOf(db, query, ids.slice(0, LIKELY)), changesHolding(db, query, { condition: undefined, firing: 'every', limit: ANY })])
  const quiet = [...single, ...query.apart.changes].filter((c) => !fires.has(c.id)).sort((a, b) => b.id - a.id)
  const settled = await past.settle(compiled, quiet, false)
  return { firing, quiet, held: quiet.find((_, i) => decisionOf(settled[i]) === 'held before') ?? null }
}

const decisionOf = (outcome: Settled | undefined) => (outcome && 'plan' in outcome ? outcome.plan.decision : null)

async function chosenOf(db: Queryable, { schema }: Surroundings, table: string, shown: readonly Change[], sample: RecordId | null): Promise<Change | null> {
  if (sample === null) return shown[0] ?? null
  return shown.find((c) => c.id === sample) ?? (await readChange(db, schema, Number(sample), table))
}

/** The newest of the changes that fire whose run does something at a line or below it; null where none does. */
async function reachingOf(past: Past, compiled: CompiledWorkflow, firing: readonly Change[], reach: string): Promise<Change | null> {
  const settled = await past.settle(compiled, firing, false)
  const isAt = ({ path }: { path: string }) => path === reach || path.startsWith(`${reach}/`)
  return (
    firing.find((_, i) => {
      const outcome = settled[i]
      return outcome !== undefined && 'plan' in outcome && [...outcome.plan.messages, ...outcome.plan.notices, ...outcome.plan.writes].some(isAt)
    }) ?? null
  )
}

/** What a workflow would do about a change if nothing held it back; null where even that fails. */
async function previewOf({ workflow, surroundings }: CompiledWorkflow, change: Change, past: Past): Promise<Plan | null> {
  const { conditions: _, ...rest } = workflow
  const unheld = { ...rest, cue: { kind: 'record' as const, on: [change.kind] } }
  const [settled] = await past.settle(compileWorkflow(unheld, surroundings), [change], false)
  return settled && 'plan' in settled ? settled.plan : null
}
