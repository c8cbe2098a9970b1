import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { runnable } from '@/core/rehearsal/runnable'
import { pointedAt, Rehearsing } from '@/core/rehearsal/tally'
import type { Finding } from '@/core/review/review'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { HistoryQuery } from '@/store/history'
import { rehearseCrossings } from '../figures/rehearse'
import { samplePlaceholders } from '../placeholders'
import { decidingOnly, staysOf } from '../program'
import { digestSample } from './digest-sample'
import { lateIn } from './late'
import { limitingFor } from './limiting'
import { changesOf, historyQuery, narrow, recordCue } from './narrow'
import { NotRehearsed } from './not-rehearsed'
import { type Addressed, addressesOf, overlaps } from './overlap'
import { Past } from './past'
import type { Rehearsal, RehearsalOptions } from './result'
import { rehearseStays } from './stays'
import { rehearseTicks } from './ticks'

/** How much of a rehearsal is done when its firings are known; the rest is evaluating them. */
const NARROWED = 0.4

const MOST_LOOKED_AT = 500
const FIRINGS_AT_ONCE = 500
const MOST_COMPARED = 200

/**
 * Runs a draft over every recorded change of its table in a span, with linked data as it stood; nothing is sent or written.
 * Lines with errors are left out.
 * @throws AbortError when it was called off
 */
export async function rehearse(db: Pool, workflow: Workflow, findings: readonly Finding[], surroundings: Surroundings, options: RehearsalOptions): Promise<Rehearsal> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const rehearsal = await rehearseCompiled(db, workflow, compiled, options)
  return rehearsal.digest ? { ...rehearsal, digestSample: await digestSample(db, compiled, rehearsal.digest) } : rehearsal
}

async function rehearseCompiled(db: Pool, workflow: Workflow, compiled: CompiledWorkflow, options: RehearsalOptions): Promise<Rehearsal> {
  const { surroundings } = compiled
  if (compiled.cue.kind === 'timetable') return rehearseTicks(db, compiled, options)
  if (compiled.cue.kind === 'figure') return rehearseCrossings(db, compiled, options)
  if (compiled.cue.kind !== 'record') throw new NotRehearsed('It is run by hand, so no past changes would have set it off. Try it on records instead.')
  const { span, samples, live, others = [], signal, progress } = options
  const query = await historyQuery(db, compiled, span)
  const { narrowing, firing } = await narrow(db, bare(compiled), query, { signal, progress: (done) => progress?.(done * NARROWED) })
  progress?.(NARROWED)
  let evaluated = 0
  const rehearsing = new Rehearsing(compiled.table, surroundings.organisation.zone, samples, await limitingFor(db, { ...compiled, workflow }))
  const acting = unconditional(compiled)
  const outlined = compileWorkflow(acting.workflow, { ...surroundings, outline: true })
  const past = new Past(db, { setting: surroundings, dry: true })
  const stays = staysOf(compiled.workflow)
  if (stays) {
    const told = await rehearseStays(db, past, compiled, bare(compiled), stays, query, firing, { ...options, progress: (done) => progress?.(NARROWED + (1 - NARROWED) * done) })
    const blanks = await blanksOf(db, compiled, told.newest.slice(0, MOST_LOOKED_AT))
    return { ...narrowing, ...told.tally, stays: told.stays, blanks, late: await lateIn(db, compiled, span), overlaps: [], compared: null }
  }
  const newest: Change[] = []
  const addressed: Addressed[] = []
  for await (const changes of readAhead(db, query, firing)) {
    signal?.throwIfAborted()
    const settled = await past.settle(rehearsing.wantsSamples() ? acting : outlined, changes, false)
    changes.forEach((change, n) => {
      const outcome = must(settled[n])
      if ('fault' in outcome) rehearsing.addFailure(change, outcome.fault)
      else rehearsing.add(change, outcome.plan)
      if ('plan' in outcome && addressed.length < MOST_COMPARED) addressed.push({ change, addresses: addressesOf(outcome.plan) })
    })
    newest.push(...changes.slice(0, MOST_LOOKED_AT - newest.length))
    evaluated += changes.length
    progress?.(NARROWED + ((1 - NARROWED) * evaluated) / firing.length)
  }
  return {
    ...narrowing,
    ...rehearsing.result(),
    blanks: await blanksOf(db, compiled, newest),
    late: await lateIn(db, compiled, span),
    overlaps: await overlaps(
      past,
      addressed,
      sameTable(workflow, others).map((other) => compileWorkflow(other, surroundings)),
    ),
    compared:
      live && live.table === workflow.table && live.cue.kind === 'record' && live.cue.stays === undefined
        ? await compare(db, query, firing, compileWorkflow(live, surroundings), signal)
        : null,
  }
}

/** Placeholders of the record that are blank in firings, and how often. */
async function blanksOf(db: Pool, { table, surroundings }: CompiledWorkflow, newest: readonly Change[]): Promise<Rehearsal['blanks']> {
  const values = await samplePlaceholders(db, surroundings.schema, surroundings.organisation, table, newest, null)
  return values.filter((v) => v.blank > 0).map(({ path, blank }) => ({ placeholder: path, count: Math.round(blank * newest.length), share: blank }))
}

/** The others that may fire for the same changes. */
const sameTable = ({ name, table }: Workflow, others: readonly Workflow[]) =>
  others.filter((o) => o.table === table && o.name !== name && o.cue.kind === 'record' && o.cue.stays === undefined)

/** Changes by their ids, page after page, the next page being read while one is worked on. */
async function* readAhead(db: Pool, query: HistoryQuery, ids: readonly number[]): AsyncGenerator<Change[]> {
  const page = (i: number) => {
    const read = changesOf(db, query, ids.slice(i, i + FIRINGS_AT_ONCE))
    read.catch(() => undefined) // whoever waits for the page is told; nobody may
    return read
  }
  let next = page(0)
  for (let i = FIRINGS_AT_ONCE; i - FIRINGS_AT_ONCE < ids.length; i += FIRINGS_AT_ONCE) {
    const changes = await next
    next = page(i)
    yield changes
  }
}

/** What a workflow does at changes that are known to fire it. */
function unconditional({ workflow: { conditions: _, ...rest }, surroundings }: CompiledWorkflow): CompiledWorkflow {
  return compileWorkflow(rest, surroundings)
}

/** A workflow that only decides whether it fires. */
export const bare = (compiled: CompiledWorkflow): CompiledWorkflow => compileWorkflow(decidingOnly(compiled.workflow), compiled.surroundings)

const SHOWN = 200

/** The firings that only the draft has, and those that only the live version has, the newest of each. */
async function compare(db: Pool, query: HistoryQuery, ours: readonly number[], live: CompiledWorkflow, signal: AbortSignal | undefined): Promise<Rehearsal['compared']> {
  const { firing: theirs } = await narrow(db, bare(live), { ...query, cue: recordCue(live) }, { signal })
  const only = async (ids: readonly number[], others: readonly number[]) => {
    const known = new Set(others)
    const wanted = ids.filter((id) => !known.has(id)).slice(0, SHOWN)
    return (await changesOf(db, query, wanted)).map((c) => pointedAt(c, query.table))
  }
  return { added: await only(ours, theirs), gone: await only(theirs, ours) }
}
