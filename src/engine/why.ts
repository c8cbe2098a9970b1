import type { Change } from '@/core/changes/change'
import { changeOccasion } from '@/core/cues/occasion'
import { brokenWords, spanWords } from '@/core/cues/stay'
import type { Workflow } from '@/core/document/document'
import { mentionedFields } from '@/core/document/mentioned'
import { must } from '@/core/must'
import type { Duration } from '@/core/values/duration'
import { formatInstant } from '@/core/values/format'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import { nothing } from '@/core/workflow/plan'
import type { Surroundings } from '@/core/workflow/surroundings'
import { loadNeedsAsOf, type Position, positionOf } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import { lateFields } from '@/store/late-fields'
import { readNow } from '@/store/now'
import { decidingOnly, staysOf } from './program'
import { followThrough } from './rehearsal/follow-through'
import { Past } from './rehearsal/past'
import { type Settled, settle } from './settle'

/**
 * Works out why a recorded change fires each of some workflows or not, with linked records, lists, people and teams as they stood at the end of its transaction. What is to stay so is
 * followed through the log up to now. Nothing is sent or written.
 */
export async function explainToEach(db: Queryable, workflows: readonly Workflow[], change: Change, surroundings: Surroundings): Promise<Settled[]> {
  const position = (await positionOf(db, change)) ?? change.id
  const found: Settled[] = []
  for (const workflow of workflows) found.push(await explainOne(db, workflow, change, surroundings, position))
  return found
}

/** The same of one workflow. */
export const explainChange = async (db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings): Promise<Settled> =>
  must((await explainToEach(db, [workflow], change, surroundings))[0])

async function explainOne(db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings, position: Position): Promise<Settled> {
  const stays = staysOf(workflow)
  const settled = await explainAt(db, stays ? decidingOnly(workflow) : workflow, change, surroundings, position)
  if (!stays || 'fault' in settled || !settled.plan.fires) return settled
  return explainStay(db, workflow, stays, change, surroundings, settled.plan)
}

async function explainAt(db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings, position: Position): Promise<Settled> {
  const loading = { setting: surroundings, dry: true }
  const [settled] = await settle(db, [{ compiled: compileWorkflow(workflow, surroundings), occasion: changeOccasion(change) }], true, loading, {}, (needs, loaded) =>
    loadNeedsAsOf(db, needs, loaded, loading, position, change.at),
  )
  return sayingWhatWasMissing(db, workflow, must(settled), surroundings, position)
}

/** The same, and in its reason which fields of those that the workflow speaks of there were not yet at a position of the log. */
export async function sayingWhatWasMissing<T extends Settled>(db: Queryable, workflow: Workflow, settled: T, { schema }: Surroundings, position: Position): Promise<T> {
  const late = 'plan' in settled ? await lateFields(db, mentionedFields(workflow, schema), position) : []
  if (!('plan' in settled) || late.length === 0) return settled
  const labels = late.map((l) => l.field.label)
  const said =
    labels.length === 1 ? `${labels[0]} was not there yet, so it counts as blank.` : `${new Intl.ListFormat('en-GB').format(labels)} were not there yet, so they count as blank.`
  return { ...settled, plan: { ...settled.plan, why: `${settled.plan.why} ${said}` } }
}

/** What became of conditions that became true at a change. */
async function explainStay(db: Queryable, workflow: Workflow, stays: Duration, change: Change, surroundings: Surroundings, began: Plan): Promise<Settled> {
  const compiled = compileWorkflow(workflow, surroundings)
  const past = new Past(db, { setting: surroundings, dry: true })
  const { organisation } = surroundings
  const said = (at: Date) => formatInstant(at.toISOString(), organisation)
  const since = `Became true ${said(change.at)}`
  const [fate] = await followThrough(db, past, compiled, stays, [change], await readNow(db))
  if (fate?.kind === 'broken') {
    const why = `${since}, was broken ${spanWords(change.at, fate.by.at)} later: ${brokenWords(fate.by, compiled.table, organisation)}.`
    return { plan: nothing('broken', why, began.clauses) }
  }
  if (fate?.kind !== 'stayed') return { plan: nothing('still waits', `${since}; it waits until ${said(must(fate).due)} whether it stays so.`, began.clauses) }
  const [settled] = await past.settleAt(compiled, [fate], true)
  if (!settled || 'fault' in settled) return must(settled)
  const why = settled.plan.fires
    ? `${since} and stayed so until ${said(fate.occasion.at)}.`
    : `${since}, but did not hold any more when the time was over, ${said(fate.occasion.at)}.`
  return { plan: { ...settled.plan, why } }
}
