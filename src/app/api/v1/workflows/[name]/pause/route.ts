import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { workflowAnswer } from '@/engine/answers/workflow'
import { pauseWorkflow } from '@/store/workflows'

export const POST = route('POST /api/v1/workflows/[name]/pause', async ({ actor, params }) => {
  const { name } = await rowOf(actor, params.name)
  await pauseWorkflow(pool(), name)
  return workflowAnswer(await rowOf(actor, name))
})
