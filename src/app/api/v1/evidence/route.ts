import { apart, contentsCache } from '@/app/_server/environment'
import { type ShownPlan, shownPlan } from '@/app/_server/plan'
import { objectOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, savedUnder, workflowOf } from '@/app/_server/workflows'
import type { Plan } from '@/core/workflow/plan'
import { withImagesInPlace } from '@/engine/mail-html'

/** What the newest changes of its table say about a draft: how many are alive at each line, and one of them in full. */
export const POST = route('POST /api/v1/evidence', async ({ actor, json, request }) => {
  const body = objectOf(await json())
  const workflow = await workflowOf(body.workflow)
  const review = await findingsOf(workflow, await onlyAddress(actor, savedUnder(body) ?? workflow.name), savedUnder(body))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { review, evidence: null }
  const sample = body.sample === undefined || body.sample === null ? null : wholeNumber(String(body.sample), 'sample')
  const evidence = await apart().run('evidence', { workflow, findings: review, sample }, { signal: request.signal })
  const [plan, preview] = await Promise.all([evidence.plan, evidence.preview].map((p) => p && rendered(p)))
  return { review, evidence: { ...evidence, plan, preview } }
})

/** A plan with the images of its mail in their place, so that it can be shown as it will arrive. */
async function rendered(plan: Plan): Promise<ShownPlan> {
  const inline = plan.messages.flatMap((m) => m.attachments).filter((a) => a.cid)
  const contents = await contentsCache().read(inline)
  const images = new Map(inline.map((a) => [a.cid as string, { type: a.type, content: contents.get(a.file) as Buffer }]))
  const shown = shownPlan(plan)
  return { ...shown, messages: shown.messages.map((m) => ({ ...m, html: withImagesInPlace(m.html, images) })) }
}
