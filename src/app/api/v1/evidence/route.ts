import { apart } from '@/app/_server/environment'
import { objectOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, savedUnder, workflowOf } from '@/app/_server/workflows'

/** What the newest changes of its table say about a draft: how many are alive at each line, and one of them in full. */
export const POST = route('POST /api/v1/evidence', async ({ actor, json, request, inTurn }) => {
  const body = objectOf(await json())
  const workflow = await workflowOf(body.workflow)
  const review = await findingsOf(workflow, await onlyAddress(actor, savedUnder(body) ?? workflow.name), savedUnder(body))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { review, evidence: null }
  const sample = body.sample === undefined || body.sample === null ? null : wholeNumber(String(body.sample), 'sample')
  const evidence = await inTurn(() => apart().run('evidence', { workflow, findings: review, sample }, { signal: request.signal }))
  return new Response(`{"review":${JSON.stringify(review)},"evidence":${evidence}}`, { headers: { 'content-type': 'application/json', 'cache-control': 'no-store' } })
})
