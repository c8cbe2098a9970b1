import { apart } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { onlyAddress, requireRunnable, workflowOf } from '@/app/_server/workflows'

/** How many records fit a draft's conditions as they stand now, which the question before going live names. */
export const POST = route('POST /api/v1/fits', async ({ actor, body, inTurn }) => {
  const workflow = await workflowOf((await body()).workflow)
  await requireRunnable(workflow, await onlyAddress(actor, workflow.name), 422)
  return { fits: await inTurn(() => apart().run('fits', { workflow })) }
})
