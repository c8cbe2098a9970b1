import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { countUnread } from '@/store/notice-log'

/** How many notices whoever calls has not read, up to a hundred. */
export const GET = route('GET /api/v1/notices/unread', async ({ actor }) => ({ unread: await countUnread(pool(), actor.person) }))
