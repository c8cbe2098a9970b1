import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { mboxEntry } from '@/core/message/mbox'
import { readContents } from '@/engine/delivery/contents'
import { composeSource } from '@/engine/delivery/source'
import { readMessage } from '@/store/messages'

const MOST = 500

/** Messages as one mailbox file (application/mbox, RFC 4155), `?ids=1,2,3`. */
export const GET = route('GET /api/v1/messages/mbox', async ({ query }) => {
  const ids = (query.get('ids') ?? '').split(',').filter(Boolean).map(Number)
  if (ids.length === 0 || ids.length > MOST || ids.some((id) => !Number.isSafeInteger(id)))
    throw new Problem(422, 'Not valid', `Give ids, 1 to ${MOST} of them with commas between.`)
  const entries: string[] = []
  for (const id of ids) {
    const message = await readMessage(pool(), id)
    if (message) {
      const source = await composeSource(message, await readContents(pool(), message.attachments))
      entries.push(mboxEntry(source.toString('latin1'), message.from.address, message.created_at))
    }
  }
  return new Response(new Uint8Array(Buffer.from(entries.join('\n'), 'latin1')), {
    headers: { 'content-type': 'application/mbox', 'content-disposition': 'attachment; filename="messages.mbox"' },
  })
})
