import { pool } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { findingsOf, onlyAddress, surroundings, workflowOf } from '@/app/_server/workflows'
import { runnable } from '@/core/rehearsal/runnable'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { spanOfDays } from '@/engine/evidence'
import { lookAtLine } from '@/engine/rehearsal/at-line'
import { bare } from '@/engine/rehearsal/rehearse'

const DAYS = 30

/** Which past changes of the last 30 days a line of the conditions stopped, and which went on, with the values they had. */
export const POST = route('POST /api/v1/rehearse/line', async ({ actor, json }) => {
  const body = objectOf(await json())
  const workflow = workflowOf(body.workflow)
  if (typeof body.path !== 'string') throw new Problem(422, 'Not valid', 'Give `path`, the JSON Pointer of a line of the conditions.')
  const review = await findingsOf(workflow, await onlyAddress(actor, workflow.name))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { line: null }
  const compiled = bare(compileWorkflow(runnable(workflow, review), await surroundings()))
  return { line: await lookAtLine(pool(), compiled, spanOfDays(DAYS), body.path) }
})
