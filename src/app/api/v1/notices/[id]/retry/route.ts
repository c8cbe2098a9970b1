import { now, pool } from '@/app/_server/environment'
import { doWithNotice } from '@/app/_server/notices'
import { route } from '@/app/_server/route'
import { retryNotice } from '@/store/notice-log'

/** Gives a channel a notice again that failed. */
export const POST = route('POST /api/v1/notices/[id]/retry', ({ actor, params }) =>
  doWithNotice(params.id, actor, async (id) => retryNotice(pool(), id, await now()), 'only a failed one can be given again.'),
)
