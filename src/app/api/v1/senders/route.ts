import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listSenders } from '@/store/templates'

export const GET = route('GET /api/v1/senders', async () => ({ senders: await listSenders(pool()) }))
