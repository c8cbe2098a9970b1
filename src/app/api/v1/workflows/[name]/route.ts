import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { findingsOf, rowOf, seenAt, visibleRow, workflowOf } from '@/app/_server/workflows'
import { standingAnswer, workflowAnswer } from '@/engine/answers/workflow'
import { transaction } from '@/store/database'
import { deleteWorkflow, readWorkflowRow, saveDraft } from '@/store/workflows'

export const GET = route('GET /api/v1/workflows/[name]', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name)
  return { ...workflowAnswer(row), ...(await standingAnswer(pool(), row)) }
})

/**
 * Saves the draft whatever the review finds; a document under another name renames the workflow; with `?new`, or an
 * If-Match that names the save the edits began from, nothing of somebody else's is overwritten.
 */
export const PUT = route('PUT /api/v1/workflows/[name]', async ({ actor, params, query, request, body, keeper }) => {
  const name = params.name
  if ((await readWorkflowRow(pool(), name)) && (query.has('new') || !(await visibleRow(actor, name))))
    throw new Problem(409, 'Conflict', `There is a workflow called ${JSON.stringify(name)} already. Choose another name.`)
  const given = await body()
  const workflow = await workflowOf({ ...given, name: given.name ?? name })
  const row = await transaction(pool(), (db) => saveDraft(db, name, workflow, actor.person, { seen: seenAt(request), keeper }))
  return { ...workflowAnswer(row), review: await findingsOf(workflow, row.keeper_email) }
})

export const DELETE = route('DELETE /api/v1/workflows/[name]', async ({ actor, params }) => {
  const { name } = await rowOf(actor, params.name)
  await deleteWorkflow(pool(), name)
  return new Response(null, { status: 204 })
})
