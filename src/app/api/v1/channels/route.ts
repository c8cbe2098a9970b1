import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listChannels } from '@/store/notices'

export const GET = route('GET /api/v1/channels', async () => ({ channels: await listChannels(pool()) }))
