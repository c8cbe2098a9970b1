import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { countUnread } from '@/store/notice-log'

/** Past so many it is only said that there are more. */
const MOST = 100

/** How many notices whoever calls has not read, up to a hundred. */
export const GET = route('GET /api/v1/notices/unread', async ({ actor }) => ({ unread: actor.person === null ? 0 : await countUnread(pool(), actor.person, MOST) }))
