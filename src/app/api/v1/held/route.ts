import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listHeld } from '@/store/limits/held'

/** What limits hold now: by workflow, why, and until when. */
export const GET = route('GET /api/v1/held', async () => ({ held: await listHeld(pool()) }))
