import { apart, now } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { onlyAddress, requireRunnable, surroundings, workflowOf } from '@/app/_server/workflows'
import type { Saw } from '@/core/document/document'
import { sawProblems } from '@/core/document/schema'
import { isInstant } from '@/core/values/dates'
import { shownPlan } from '@/core/workflow/shown'

/**
 * Dry run: what a workflow would do about a change that is typed in, or another occasion. Nothing is sent or written.
 * With `asOf` (and what an example `saw`) linked data is as it stood then, and the clock with it.
 */
export const POST = route('POST /api/v1/try', async ({ actor, body, inTurn }) => {
  const asked = await body()
  const workflow = await workflowOf(asked.workflow)
  await requireRunnable(workflow, await onlyAddress(actor, workflow.name), 422)
  const around = await surroundings()
  const table = around.schema.get(workflow.table)
  if (!table) throw new Problem(422, 'Not valid', `There is no table ${workflow.table}.`)
  const { asOf, saw } = frozenOf(asked)
  const setting = { by: actor.by, at: asOf ?? (await now()) }
  const { change, occasion } = asked
  const tried = await inTurn(() => apart().run('try', { workflow, asked: { change: given(change), occasion: given(occasion) }, setting, asOf, saw }))
  if ('problems' in tried) throw new Problem(422, 'Not valid', 'What is to be tried does not fit.', { problems: tried.problems })
  if ('fault' in tried) throw new Problem(422, 'The run would fail', tried.fault)
  return { ...shownPlan(tried.plan), at: tried.at.toISOString(), saw: tried.saw }
})

const given = (value: unknown) => (value === undefined ? undefined : objectOf(value))

/** The moment that is asked for, and what was seen then. @throws Problem 422 where they are no such things */
function frozenOf({ asOf, saw }: Record<string, unknown>): { asOf: Date | null; saw: Saw | undefined } {
  if (asOf === undefined) return { asOf: null, saw: undefined }
  if (typeof asOf !== 'string' || !isInstant(asOf)) throw new Problem(422, 'Not valid', 'asOf is a date-time with its offset (ISO 8601).')
  const problems = sawProblems(saw)
  if (problems.length) throw new Problem(422, 'Not valid', 'This is not what an example saw.', { problems })
  return { asOf: new Date(asOf), saw: saw as Saw | undefined }
}
