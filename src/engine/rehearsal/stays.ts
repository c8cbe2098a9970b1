import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { type RehearsalTally, Rehearsing } from '@/core/rehearsal/tally'
import type { Duration } from '@/core/values/duration'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { HistoryQuery } from '@/store/history'
import { type Fate, followThrough, type StaysTold, toldStays } from './follow-through'
import { changesOf, historyQuery, narrow } from './narrow'
import type { Past } from './past'
import type { RehearsalOptions } from './result'

const AT_ONCE = 500

/** What would have come of what stayed so: the tally of those whose time was over in the span, and what became of all. */
export interface StaysRehearsed {
  readonly tally: RehearsalTally
  readonly stays: StaysTold
  /** The newest changes at which what stayed so began. */
  readonly newest: readonly Change[]
}

type Asked = Pick<RehearsalOptions, 'span' | 'samples' | 'signal' | 'progress'>

/**
 * Follows each change at which conditions became true through the log, those before the span included whose time was over in it. `deciding` is the workflow that only decides, `firing` the
 * changes of the span at which it fires.
 * @throws AbortError when it was called off
 */
export async function rehearseStays(
  db: Pool,
  past: Past,
  compiled: CompiledWorkflow,
  deciding: CompiledWorkflow,
  stays: Duration,
  query: HistoryQuery,
  firing: readonly number[],
  { span, samples, signal, progress }: Asked,
): Promise<StaysRehearsed> {
  const { surroundings } = compiled
  const before = await historyQuery(db, compiled, { from: earlier(span.from, stays), to: span.from })
  const began = [...firing, ...(await narrow(db, deciding, before, { signal })).firing]
  const both = { ...query, apart: { rows: [...query.apart.rows, ...before.apart.rows], changes: [...query.apart.changes, ...before.apart.changes] } }
  const until = new Date(Math.min(Date.now(), span.to.getTime()))
  const rehearsing = new Rehearsing(compiled.table, surroundings.organisation.zone, samples)
  const outlined = compileWorkflow(compiled.workflow, { ...surroundings, outline: true })
  const fates: Fate[] = []
  const newest: Change[] = []
  let stayed = 0
  for (let i = 0; i < began.length; i += AT_ONCE) {
    signal?.throwIfAborted()
    const followed = await followThrough(db, past, compiled, stays, await changesOf(db, both, began.slice(i, i + AT_ONCE)), until)
    fates.push(...followed.filter((fate) => endOf(fate) >= span.from))
    const over = followed.flatMap((fate) => (fate.kind === 'stayed' && fate.occasion.at >= span.from ? [fate] : []))
    const settled = await past.settleAt(rehearsing.wantsSamples() ? compiled : outlined, over, false)
    for (const [n, { began: change, occasion }] of over.entries()) {
      const outcome = settled[n]
      if (!outcome || ('plan' in outcome && !outcome.plan.fires)) continue
      stayed++
      newest.push(change)
      const due = { ...change, at: occasion.at, after: occasion.after }
      if ('fault' in outcome) rehearsing.addFailure(due, outcome.fault)
      else rehearsing.add(due, outcome.plan)
    }
    progress?.(Math.min(1, (i + AT_ONCE) / began.length))
  }
  return { tally: { ...rehearsing.result(), firings: stayed }, stays: toldStays(fates, stayed), newest }
}

/** When what became of conditions was known. */
const endOf = (fate: Fate): Date => (fate.kind === 'stayed' ? fate.occasion.at : fate.kind === 'broken' ? fate.by.at : fate.due)

/** The latest moment that something must have begun at to be over before another; a day more, since clocks change. */
const earlier = (from: Date, { days, seconds }: Duration): Date => new Date(from.getTime() - (days + 1) * 86_400_000 - seconds * 1_000)
