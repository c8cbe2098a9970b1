import { pool } from '@/app/_server/environment'
import { wholeNumber } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { transaction } from '@/store/database'
import { readMessage, retryMessage } from '@/store/messages'

export const POST = route('POST /api/v1/messages/[id]/retry', async ({ params }) => {
  const id = wholeNumber(params.id as string, 'id')
  const message = await readMessage(pool(), id)
  if (!message) throw new Problem(404, 'Not found', `There is no message ${id}.`)
  if (!(await transaction(pool(), (db) => retryMessage(db, id, new Date()))))
    throw new Problem(409, 'Conflict', `The message is ${message.state}; only a failed one can be tried again.`)
  return readMessage(pool(), id)
})
