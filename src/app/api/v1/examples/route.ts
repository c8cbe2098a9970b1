import { examplesOf } from '@/app/_server/examples'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, workflowOf } from '@/app/_server/workflows'

/** Runs the examples of a draft: whether each comes out as it is to, and what falls short. Nothing is sent or written. */
export const POST = route('POST /api/v1/examples', async ({ actor, body, inTurn }) => {
  const workflow = await workflowOf((await body()).workflow)
  return { examples: await inTurn(async () => examplesOf(workflow, await findingsOf(workflow, await onlyAddress(actor, workflow.name)))) }
})
