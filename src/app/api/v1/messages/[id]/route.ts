import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { seenBy } from '@/app/_server/seen'
import { readMessage } from '@/store/messages'

/** One message; members see those to themselves only. `/messages/{id}.eml` is answered here too, as its source. */
export const GET = route('GET /api/v1/messages/[id]', async ({ actor, params }) => {
  const [number, ending] = params.id.split('.')
  const id = wholeNumber(number ?? '', 'id')
  const message = await readMessage(pool(), id)
  const isTheirs = actor.role !== 'member' || message?.recipients.some((r) => r.address.toLowerCase() === actor.email?.toLowerCase())
  if (!message || !isTheirs) throw new Problem(404, 'Not found', `There is no message ${id}.`)
  if (ending === undefined) return seenBy(actor, message)
  if (ending !== 'eml') throw new Problem(404, 'Not found', 'A message comes as JSON, or with .eml as its source.')
  const { composeSource } = await import('@/engine/delivery/source')
  const { readContents } = await import('@/engine/delivery/contents')
  const source = await composeSource(message, await readContents(pool(), message.attachments))
  return new Response(new Uint8Array(source), {
    headers: { 'content-type': 'message/rfc822', 'content-disposition': `attachment; filename="message-${id}.eml"` },
  })
})
