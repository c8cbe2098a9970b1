import { apart } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, workflowOf } from '@/app/_server/workflows'

const DAYS = 30

/** Which past changes of the last 30 days a line of the conditions stopped, and which went on, with the values they had. */
export const POST = route('POST /api/v1/rehearse/line', async ({ actor, json, inTurn }) => {
  const body = objectOf(await json())
  const workflow = await workflowOf(body.workflow)
  if (typeof body.path !== 'string') throw new Problem(422, 'Not valid', 'Give `path`, the JSON Pointer of a line of the conditions.')
  const { path } = body as { path: string }
  const review = await findingsOf(workflow, await onlyAddress(actor, workflow.name))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { line: null }
  return { line: await inTurn(() => apart().run('at line', { workflow, findings: review, path, days: DAYS })) }
})
