import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { workflowAnswer } from '@/engine/answers/workflow'
import { listBroken } from '@/store/broken'
import { listWorkflows } from '@/store/workflows'

/** Every workflow that may be seen; of a live one that cannot do what it says what is in its way (`broken`). */
export const GET = route('GET /api/v1/workflows', async ({ keeper }) => {
  const [rows, broken] = await Promise.all([listWorkflows(pool(), keeper), listBroken(pool())])
  const problemsOf = new Map(broken.map(({ id, problems }) => [id, problems]))
  return { workflows: rows.map((row) => ({ ...workflowAnswer(row), ...(problemsOf.has(row.id) ? { broken: problemsOf.get(row.id) } : {}) })) }
})
