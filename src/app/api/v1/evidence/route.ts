import { pool } from '@/app/_server/environment'
import { shownPlan } from '@/app/_server/plan'
import { objectOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { findingsOf, surroundings, workflowOf } from '@/app/_server/workflows'
import { gatherEvidence } from '@/engine/evidence'

/** What the newest changes of its table say about a draft: how many are alive at each line, and one of them in full. */
export const POST = route('POST /api/v1/evidence', async ({ json }) => {
  const body = objectOf(await json())
  const workflow = workflowOf(body.workflow)
  const review = await findingsOf(workflow)
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { review, evidence: null }
  const sample = body.sample === undefined || body.sample === null ? null : wholeNumber(String(body.sample), 'sample')
  const evidence = await gatherEvidence(pool(), workflow, review, await surroundings(), sample)
  return { review, evidence: { ...evidence, plan: evidence.plan && shownPlan(evidence.plan) } }
})
