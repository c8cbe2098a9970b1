import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { keeperFor, shown } from '@/app/_server/workflows'
import { listWorkflows } from '@/store/workflows'

export const GET = route('GET /api/v1/workflows', async ({ actor }) => ({ workflows: (await listWorkflows(pool(), keeperFor(actor))).map(shown) }))
