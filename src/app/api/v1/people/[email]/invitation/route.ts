import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { makeAccountLink } from '@/store/access/account-links'
import { transaction } from '@/store/database'
import { personByEmail } from '@/store/people'

/** Sends somebody who may sign in an invitation by mail; those sent before count no more. */
export const POST = route('POST /api/v1/people/[email]/invitation', async ({ actor, params }) => {
  const email = params.email
  const person = await personByEmail(pool(), email)
  if (!person) throw new Problem(404, 'Not found', `Nobody here has the address ${email}.`)
  if (!person.active || !person.role) throw new Problem(409, 'Conflict', `${person.name} ${person.active ? 'may not sign in. Give a role first' : 'has left'}.`)
  const made = await transaction(pool(), (db) => makeAccountLink(db, person.id, 'invitation', actor.person))
  if (made === null) throw new Problem(429, 'Too many', 'Five invitations went to this address within the hour. Wait, or look why they do not arrive.')
  return Response.json({ email: person.email }, { status: 202 })
})
