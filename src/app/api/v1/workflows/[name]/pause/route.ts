import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf, shown } from '@/app/_server/workflows'
import { pauseWorkflow } from '@/store/workflows'

export const POST = route('POST /api/v1/workflows/[name]/pause', async ({ params }) => {
  await pauseWorkflow(pool(), params.name as string)
  return shown(await rowOf(params.name as string))
})
