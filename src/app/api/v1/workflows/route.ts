import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { workflowAnswer } from '@/engine/answers/workflow'
import { listWorkflows } from '@/store/workflows'

export const GET = route('GET /api/v1/workflows', async ({ keeper }) => ({ workflows: (await listWorkflows(pool(), keeper)).map(workflowAnswer) }))
