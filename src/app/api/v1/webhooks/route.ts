import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listHooks } from '@/store/hooks'

/** The programs elsewhere that are told of changes, without their secrets. */
export const GET = route('GET /api/v1/webhooks', async () => ({ webhooks: await listHooks(pool()) }))
