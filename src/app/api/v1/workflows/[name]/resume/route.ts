import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf, shown } from '@/app/_server/workflows'
import { resumeWorkflow } from '@/store/workflows'

export const POST = route('POST /api/v1/workflows/[name]/resume', async ({ params }) => {
  await resumeWorkflow(pool(), params.name as string)
  return shown(await rowOf(params.name as string))
})
