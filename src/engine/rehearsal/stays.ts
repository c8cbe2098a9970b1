import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { type RehearsalTally, Rehearsing } from '@/core/rehearsal/tally'
import type { Duration } from '@/core/values/duration'
import type { RecordId } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { HistoryQuery } from '@/store/history'
import { readNow } from '@/store/now'
import { type Fate, followThrough, type StaysTold, toldStays } from './follow-through'
import { limitingFor } from './limiting'
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
  const until = new Date(Math.min((await readNow(db)).getTime(), span.to.getTime()))
  const followed = async (ids: readonly number[]) => {
    signal?.throwIfAborted()
    return followThrough(db, past, compiled, stays, await changesOf(db, both, ids), until)
  }
  const { fates, over } = await waitsOf(began, followed, span.from, (done) => progress?.(done / 2))
  const rehearsing = new Rehearsing(compiled.table, surroundings.organisation.zone, samples, await limitingFor(db, compiled))
  const outlined = compileWorkflow(compiled.workflow, { ...surroundings, outline: true })
  const newest: Change[] = []
  let stayed = 0
  for (let i = 0; i < over.length; i += AT_ONCE) {
    const ended = (await followed(over.slice(i, i + AT_ONCE))).flatMap((fate) => (fate.kind === 'stayed' ? [fate] : []))
    const settled = await past.settleAt(rehearsing.wantsSamples() ? compiled : outlined, ended, false)
    for (const [n, { began: change, occasion }] of ended.entries()) {
      const outcome = settled[n]
      if (!outcome || ('plan' in outcome && !outcome.plan.fires)) continue
      stayed++
      if (newest.length < AT_ONCE) newest.push(change)
      const due = { ...change, at: occasion.at, after: occasion.after }
      if ('fault' in outcome) rehearsing.addFailure(due, outcome.fault)
      else rehearsing.add(due, outcome.plan)
    }
    progress?.(0.5 + Math.min(0.5, (i + AT_ONCE) / over.length / 2))
  }
  return { tally: { ...rehearsing.result(), firings: stayed }, stays: toldStays(fates, stayed), newest }
}

/** What is left of a fate to be counted. */
type Told = Parameters<typeof toldStays>[0][number]

/**
 * Goes through becomings true from the oldest on. One that comes while its record waits already begins no other wait, as when a clause that goes by the clock was not judged in between.
 * Answers what became of those that ended since a moment, and the ids of those that stayed so, the newest first.
 */
async function waitsOf(
  began: readonly number[],
  followed: (ids: readonly number[]) => Promise<Fate[]>,
  from: Date,
  progress: (done: number) => void,
): Promise<{ fates: Told[]; over: number[] }> {
  const ascending = [...began].sort((a, b) => a - b)
  const until = new Map<RecordId, Date>()
  const fates: Told[] = []
  const over: number[] = []
  for (let i = 0; i < ascending.length; i += AT_ONCE) {
    for (const fate of await followed(ascending.slice(i, i + AT_ONCE))) {
      const { began: change } = fate
      if ((until.get(change.record) ?? change.at) > change.at) continue
      const end = endOf(fate)
      until.set(change.record, end)
      if (end < from) continue
      fates.push(fate.kind === 'broken' ? { kind: fate.kind, by: { kind: fate.by.kind, changed: fate.by.changed } } : { kind: fate.kind })
      if (fate.kind === 'stayed') over.push(change.id)
    }
    progress(Math.min(1, (i + AT_ONCE) / ascending.length))
  }
  return { fates, over: over.reverse() }
}

/** When what became of conditions was known. */
const endOf = (fate: Fate): Date => (fate.kind === 'stayed' ? fate.occasion.at : fate.kind === 'broken' ? fate.by.at : fate.due)

/** The latest moment that something must have begun at to be over before another; a day more, since clocks change. */
const earlier = (from: Date, { days, seconds }: Duration): Date => new Date(from.getTime() - (days + 1) * 86_400_000 - seconds * 1_000)
