import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { refuseOtherSites, route } from '@/app/_server/route'
import { noteFailure } from '@/app/_server/signing-in'
import { isAddress } from '@/core/recipients/address'
import { makeAccountLink } from '@/store/access/account-links'
import { transaction } from '@/store/database'
import { personByEmail } from '@/store/people'

/** Sends a link for a new password to whoever may sign in under an e-mail; answers the same whether there is somebody or not. */
export const POST = route('POST /api/session/reset', async ({ request, json }) => {
  refuseOtherSites(request)
  const { email } = objectOf(await json())
  if (typeof email !== 'string' || !isAddress(email.trim())) throw new Problem(422, 'Not valid', 'Give your e-mail address.')
  await noteFailure(request, email, 'new password asked for')
  const person = await personByEmail(pool(), email)
  if (person?.active && person.role) await transaction(pool(), (db) => makeAccountLink(db, person.id, 'reset', null))
  return Response.json({ sent: true }, { status: 202 })
})
