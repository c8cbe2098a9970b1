import { now, pool } from '@/app/_server/environment'
import { doWithNotice } from '@/app/_server/notices'
import { route } from '@/app/_server/route'
import { cancelNotice } from '@/store/notice-log'

/** Calls a notice off that waits. */
export const POST = route('POST /api/v1/notices/[id]/cancel', ({ actor, params }) =>
  doWithNotice(params.id, actor, async (id) => cancelNotice(pool(), id, await now()), 'only one that waits can be called off.'),
)
