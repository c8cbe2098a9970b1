import { mayReadArrival, postRoom } from '@/app/_server/post-room'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'

/** The source of a message that arrived, as a file; members have those to themselves only. */
export const GET = route('GET /api/post-room/messages/[id]', async ({ actor, params }) => {
  const id = wholeNumber(params.id.replace(/\.eml$/, ''), 'id')
  const message = await postRoom.message(id)
  if (!mayReadArrival(actor, message)) throw new Problem(404, 'Not found', `There is no message ${id}.`)
  return new Response(message.raw, { headers: { 'content-type': 'message/rfc822', 'content-disposition': `attachment; filename="message-${id}.eml"` } })
})
