import { apart, pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, workflowOf } from '@/app/_server/workflows'
import { spreadAt } from '@/engine/spread'

const DAYS = 30

/** Which past changes of the last 30 days a line of the conditions stopped, and which went on, with the values they had; and where records lie on the value that it tests. */
export const POST = route('POST /api/v1/rehearse/line', async ({ actor, body, inTurn }) => {
  const { workflow: given, path } = await body()
  const workflow = await workflowOf(given)
  const review = await findingsOf(workflow, await onlyAddress(actor, workflow.name))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { line: null, spread: null }
  const [line, spread] = await Promise.all([inTurn(() => apart().run('at line', { workflow, findings: review, path, days: DAYS })), spreadAt(pool(), workflow, String(path))])
  return { line, spread }
})
