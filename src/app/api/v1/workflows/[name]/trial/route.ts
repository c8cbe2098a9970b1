import type { Actor } from '@/app/_server/actor'
import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { requireRunnable, rowOf, surroundings } from '@/app/_server/workflows'
import type { Workflow } from '@/core/document/document'
import { titleOf } from '@/core/values/tables'
import { trialAnswer } from '@/engine/answers/trial'
import { readAsked } from '@/engine/occasions/asked'
import { waitingRun } from '@/engine/occasions/press'
import { armedOf } from '@/engine/program'
import { firstAdministrator } from '@/store/people'
import { wake } from '@/store/presses'
import { insertRuns } from '@/store/runs'
import { armTrial, endTrials, latestTrial, type Trial } from '@/store/trials'

const LONGEST = 60

/** Whose trials these are: the token's or session's person; for a token that acts as nobody, the first administrator. @throws Problem where there is neither */
async function tryerOf(actor: Actor): Promise<number> {
  const person = actor.person ?? (await firstAdministrator(pool()))?.id
  if (!person) throw new Problem(409, 'Conflict', 'A trial’s mail goes to whoever arms it; this token acts as nobody, and there is no administrator yet.')
  return person
}

/** The newest trial of mine, with its runs; null where there was none. */
export const GET = route('GET /api/v1/workflows/[name]/trial', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name)
  const trial = await latestTrial(pool(), row.name, await tryerOf(actor))
  return { trial: trial && (await trialAnswer(pool(), trial)) }
})

/**
 * Arms the draft for real, for one record or for my own changes; all its mail goes to me. Where it goes by the clock or is run by hand, `occasion` (as in `/try`) is run at once.
 */
export const POST = route('POST /api/v1/workflows/[name]/trial', async ({ actor, params, body }) => {
  const { record = null, minutes = LONGEST, occasion } = await body()
  const row = await rowOf(actor, params.name)
  await requireRunnable(row.draft, row.keeper_email, 409)
  const trial = await armTrial(pool(), row.name, { record, by: actor.by, person: await tryerOf(actor), minutes, checked: row.draft_saved_at })
  if (occasion) await runOccasion(row.draft, trial, objectOf(occasion), actor)
  return { trial: await trialAnswer(pool(), trial) }
})

/** Has a trial run an occasion at once. @throws Problem 422 where it does not fit the workflow */
async function runOccasion(draft: Workflow, trial: Trial, given: Record<string, unknown>, actor: Actor): Promise<void> {
  const [around, at] = [await surroundings(), await now()]
  const read = await readAsked(pool(), draft, { occasion: given }, around, { by: actor.by, at, people: around.people })
  if ('problems' in read) throw new Problem(422, 'Not valid', 'What is to be tried does not fit.', { problems: read.problems })
  const { occasion } = read
  const table = around.schema.get(draft.table)
  const title = occasion.after && table ? titleOf(table, occasion.after) : (table?.label ?? draft.table)
  const run = waitingRun({ workflow: trial.workflow, name: trial.name, version: 0, trial: armedOf(trial) }, occasion, title, at)
  await insertRuns(pool(), [run])
  await wake(pool())
}

/** Ends my trial of the workflow. */
export const DELETE = route('DELETE /api/v1/workflows/[name]/trial', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name)
  return { ended: await endTrials(pool(), row.name, await tryerOf(actor)) }
})
