import { replica } from '@/app/_server/environment'
import { pageLimit, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listNotices } from '@/store/notice-log'

/** Lists notices; members see those to themselves only. */
export const GET = route('GET /api/v1/notices', async ({ actor, query }) => {
  const limit = pageLimit(query)
  const text = (name: string) => query.get(name) ?? undefined
  const asked = {
    me: actor.person,
    mine: actor.role === 'member' || query.get('mine') === 'true',
    unread: query.get('unread') === 'true',
    text: text('text'),
    state: text('state'),
    workflow: text('workflow'),
    channel: text('channel'),
    runs: query.has('run') ? [wholeNumber(query.get('run'), 'run')] : undefined,
    after: query.has('after') ? wholeNumber(query.get('after'), 'after') : undefined,
    limit,
  }
  const notices = await replica().readNow((db) => listNotices(db, asked))
  return { notices, next: notices.length < limit ? null : String(notices[notices.length - 1]?.id) }
})
