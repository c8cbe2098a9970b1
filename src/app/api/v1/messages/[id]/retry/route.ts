import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { retryMessage } from '@/store/mail/by-hand'
import { readMessage } from '@/store/messages'

/** Tries a failed message again; `{ to }` sends what failed to another address. */
export const POST = route('POST /api/v1/messages/[id]/retry', async ({ params, request, json }) => {
  const id = wholeNumber(params.id, 'id')
  const { to } = request.headers.get('content-type')?.includes('json') ? objectOf(await json()) : {}
  if (to !== undefined && !(typeof to === 'string' && isAddress(to))) throw new Problem(422, 'Not valid', `${JSON.stringify(to)} is not an e-mail address.`)
  const message = await readMessage(pool(), id)
  if (!message) throw new Problem(404, 'Not found', `There is no message ${id}.`)
  const at = await now()
  const isQueued = await transaction(pool(), (db) => retryMessage(db, id, at, to))
  if (!isQueued) throw new Problem(409, 'Conflict', `The message is ${message.state}; only a failed one can be tried again.`)
  return readMessage(pool(), id)
})
