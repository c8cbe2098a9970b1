import { pool } from '@/app/_server/environment'
import { noticeAsked } from '@/app/_server/notices'
import { route } from '@/app/_server/route'
import { isNoticeFor } from '@/store/notice-log'

/** One notice; members see those to themselves only. */
export const GET = route('GET /api/v1/notices/[id]', ({ actor, params }) =>
  noticeAsked(params.id, actor, async (id) => actor.role !== 'member' || isNoticeFor(pool(), id, actor.person)),
)
