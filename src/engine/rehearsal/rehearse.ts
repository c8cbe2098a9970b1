import type { Change } from '@/core/changes/change'
import { runnable } from '@/core/rehearsal/runnable'
import { type PastChange, pointedAt, type RehearsalTally, Rehearsing } from '@/core/rehearsal/tally'
import type { Finding } from '@/core/review/review'
import type { Workflow } from '@/core/workflow/document'
import { type CompiledWorkflow, compileWorkflow, type Surroundings } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { type HistoryQuery, netChangesOf, type Span } from '@/store/history'
import { samplePlaceholders } from '../placeholders'
import type { Settled } from '../settle'
import { chunksOf, historyQuery, type Narrowing, narrowOver } from './narrow'
import { Past } from './past'

/** What a draft would have done over a span, and how that differs from the version that is live. */
export interface Rehearsal extends Narrowing, RehearsalTally {
  /** Placeholders of the record that were blank in firings; at most the newest 500 firings are looked at. */
  readonly blanks: readonly { readonly placeholder: string; readonly count: number; readonly share: number }[]
  /** Against the live version: changes at which only the draft fires, and those at which only the live version does. */
  readonly compared: { readonly added: readonly PastChange[]; readonly gone: readonly PastChange[] } | null
}

export interface RehearsalOptions {
  readonly span: Span
  /** How many firings are shown with their mail. */
  readonly samples: number
  readonly live: Workflow | null
  readonly signal?: AbortSignal
}

const MOST_LOOKED_AT = 500
const FIRINGS_AT_ONCE = 500

/**
 * Runs a draft over every recorded change of its table in a span, with linked data as it stood; nothing is sent or written.
 * Lines with errors are left out.
 * @throws AbortError when it was called off
 */
export async function rehearse(db: Queryable, workflow: Workflow, findings: readonly Finding[], surroundings: Surroundings, options: RehearsalOptions): Promise<Rehearsal> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const { span, samples, live, signal } = options
  const query = await historyQuery(db, compiled, span)
  const narrowing = await narrowOver(db, bare(compiled), query, signal)
  const rehearsing = new Rehearsing(compiled.table, surroundings.organisation.zone, samples)
  const fired: Change[] = []
  await eachFiring(db, compiled, query, signal, (change, outcome) => {
    if ('fault' in outcome) return rehearsing.addFailure(change, outcome.fault)
    rehearsing.add(change, outcome.plan)
    if (fired.length < MOST_LOOKED_AT) fired.push(change)
  })
  const values = await samplePlaceholders(db, surroundings.schema, surroundings.organisation, compiled.table, fired, null)
  return {
    ...narrowing,
    ...rehearsing.result(),
    blanks: values.filter((v) => v.blank > 0).map(({ path, blank }) => ({ placeholder: path, count: Math.round(blank * fired.length), share: blank })),
    compared: live && live.table === workflow.table ? await compare(db, compiled, compileWorkflow(live, surroundings), query, signal) : null,
  }
}

/** Calls for each change of the span that fires, the newest first, or that fails on the way. */
async function eachFiring(
  db: Queryable,
  compiled: CompiledWorkflow,
  query: HistoryQuery,
  signal: AbortSignal | undefined,
  take: (change: Change, outcome: Settled) => void,
): Promise<void> {
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  const settle = async (changes: readonly Change[]) => {
    const settled = await past.settle(compiled, changes, false)
    changes.forEach((change, i) => {
      const outcome = settled[i] as Settled
      if ('fault' in outcome || outcome.plan.fires) take(change, outcome)
    })
  }
  await settle((await netChangesOf(db, query)).reverse())
  for await (const chunk of chunksOf(db, query, compiled.workflow.conditions, compiled.workflow.firing ?? 'entering', FIRINGS_AT_ONCE)) {
    signal?.throwIfAborted()
    await settle(chunk)
  }
}

/** A workflow that only decides whether it fires. */
export function bare(compiled: CompiledWorkflow): CompiledWorkflow {
  const { bringIn: _b, values: _v, ...rest } = compiled.workflow
  return compileWorkflow({ ...rest, actions: [] }, compiled.surroundings)
}

const SHOWN = 200

async function compare(db: Queryable, draft: CompiledWorkflow, live: CompiledWorkflow, query: HistoryQuery, signal: AbortSignal | undefined): Promise<Rehearsal['compared']> {
  const firings = async (compiled: CompiledWorkflow) => {
    const found = new Map<number, Change>()
    await eachFiring(db, bare(compiled), { ...query, cue: compiled.cue }, signal, (change, outcome) => 'plan' in outcome && found.set(change.id, change))
    return found
  }
  const [ours, theirs] = [await firings(draft), await firings(live)]
  const only = (a: ReadonlyMap<number, Change>, b: ReadonlyMap<number, Change>) =>
    [...a.values()]
      .filter((c) => !b.has(c.id))
      .slice(0, SHOWN)
      .map((c) => pointedAt(c, draft.table))
  return { added: only(ours, theirs), gone: only(theirs, ours) }
}
