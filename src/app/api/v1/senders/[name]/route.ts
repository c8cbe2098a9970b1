import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { keptName } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { refuseInUse } from '@/app/_server/uses'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { listSenders, putSender, removeSender } from '@/store/templates'

export const GET = route('GET /api/v1/senders/[name]', ({ params }) => STATES['/api/v1/senders/[name]'](params))

/** Makes or changes a sender identity: the name and address that mail can be from. */
export const PUT = route('PUT /api/v1/senders/[name]', async ({ params, body }) => {
  const name = keptName(params.name)
  const sender = await body()
  if (!isAddress(sender.address)) throw new Problem(422, 'Not valid', `${JSON.stringify(sender.address)} is not an e-mail address.`)
  await transaction(pool(), (db) => putSender(db, { name, ...sender }))
  return (await listSenders(pool())).find((s) => s.name === name)
})

/** Removes a sender identity that no workflow uses. */
export const DELETE = route('DELETE /api/v1/senders/[name]', async ({ params }) => {
  const name = params.name
  await refuseInUse('sender', name)
  if (!(await transaction(pool(), (db) => removeSender(db, name)))) throw new Problem(404, 'Not found', `There is no sender identity ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
