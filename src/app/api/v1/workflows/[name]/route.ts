import { pool } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { findingsOf, rowOf, seenAt, shown, standingOf, workflowOf } from '@/app/_server/workflows'
import { deleteWorkflow, readWorkflowRow, saveDraft } from '@/store/workflows'

export const GET = route('GET /api/v1/workflows/[name]', async ({ params }) => {
  const row = await rowOf(params.name as string)
  return { ...shown(row), ...(await standingOf(row)) }
})

/**
 * Saves the draft whatever the review finds; a document under another name renames the workflow; with `?new`, or an
 * If-Match that names the save the edits began from, nothing of somebody else's is overwritten.
 */
export const PUT = route('PUT /api/v1/workflows/[name]', async ({ actor, params, query, request, json }) => {
  const name = params.name as string
  if (query.has('new') && (await readWorkflowRow(pool(), name)))
    throw new Problem(409, 'Conflict', `There is a workflow called ${JSON.stringify(name)} already. Choose another name.`)
  const body = objectOf(await json())
  const workflow = workflowOf({ ...body, name: body.name ?? name })
  const row = await saveDraft(pool(), name, workflow, actor.person, seenAt(request))
  return { ...shown(row), review: await findingsOf(workflow) }
})

export const DELETE = route('DELETE /api/v1/workflows/[name]', async ({ params }) => {
  const name = params.name as string
  if (!(await deleteWorkflow(pool(), name))) throw new Problem(404, 'Not found', `There is no workflow called ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
