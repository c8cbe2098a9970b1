import { replica } from '@/app/_server/environment'
import { pageLimit, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { seenBy } from '@/app/_server/seen'
import { listMessages } from '@/store/messages'

/** Lists messages; members see those to themselves only. */
export const GET = route('GET /api/v1/messages', async ({ actor, query }) => {
  const limit = pageLimit(query)
  const text = (name: string) => query.get(name) ?? undefined
  const asked = {
    to: actor.role === 'member' ? (actor.email ?? '') : text('to'),
    text: text('text'),
    state: text('state'),
    workflow: text('workflow'),
    after: query.has('after') ? wholeNumber(query.get('after'), 'after') : undefined,
    limit,
  }
  const messages = await replica().readNow((db) => listMessages(db, asked))
  return { messages: messages.map((message) => seenBy(actor, message)), next: messages.length < limit ? null : String(messages[messages.length - 1]?.id) }
})
