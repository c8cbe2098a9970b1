import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listGroups } from '@/store/people'

export const GET = route('GET /api/v1/groups', async () => ({ groups: await listGroups(pool()) }))
