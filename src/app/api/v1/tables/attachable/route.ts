import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listAttachable } from '@/store/attach/attach'

export const GET = route('GET /api/v1/tables/attachable', async () => ({ tables: await listAttachable(pool()) }))
