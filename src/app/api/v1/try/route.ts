import { pool } from '@/app/_server/environment'
import { shownPlan } from '@/app/_server/plan'
import { objectOf } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { readTypedChange } from '@/app/_server/typed-change'
import { onlyAddress, requireRunnable, surroundings, workflowOf } from '@/app/_server/workflows'
import { completeChange, tryWorkflow } from '@/engine/try'

/** Dry run: what a workflow would do about a change that is typed in. Nothing is sent or written. */
export const POST = route('POST /api/v1/try', async ({ actor, json }) => {
  const body = objectOf(await json())
  const workflow = workflowOf(body.workflow)
  await requireRunnable(workflow, await onlyAddress(actor, workflow.name), 422)
  const around = await surroundings()
  const table = around.schema.get(workflow.table)
  if (!table) throw new Problem(422, 'Not valid', `There is no table ${workflow.table}.`)
  const change = completeChange(table, readTypedChange(body.change, table, actor.by, around.people))
  const settled = await tryWorkflow(pool(), workflow, change, around)
  if ('fault' in settled) throw new Problem(422, 'The run would fail', settled.fault)
  return shownPlan(settled.plan)
})
