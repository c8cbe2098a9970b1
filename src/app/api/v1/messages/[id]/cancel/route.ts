import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { cancelMessage } from '@/store/mail/by-hand'
import { readMessage } from '@/store/messages'

/** Calls a message off that waits to be sent. */
export const POST = route('POST /api/v1/messages/[id]/cancel', async ({ params }) => {
  const id = wholeNumber(params.id, 'id')
  const message = await readMessage(pool(), id)
  if (!message) throw new Problem(404, 'Not found', `There is no message ${id}.`)
  if (!(await cancelMessage(pool(), id, await now()))) throw new Problem(409, 'Conflict', `The message is ${message.state}; only one that waits can be called off.`)
  return readMessage(pool(), id)
})
