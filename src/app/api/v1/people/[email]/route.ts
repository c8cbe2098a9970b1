import { pool } from '@/app/_server/environment'
import { shownPeople } from '@/app/_server/persons'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { type PersonInput, personByEmail, putPerson } from '@/store/people'

export const GET = route('GET /api/v1/people/[email]', ({ params }) => STATES['/api/v1/people/[email]'](params))

export const PUT = route('PUT /api/v1/people/[email]', async ({ actor, params, body }) => {
  const email = params.email
  if (!isAddress(email)) throw new Problem(422, 'Not valid', `${JSON.stringify(email)} is not an e-mail address.`)
  const input = await body()
  const old = await personByEmail(pool(), email)
  const isBack = input.active === true && old !== null && !old.active && old.role !== null
  if (isBack || (input.role !== undefined && input.role !== (old?.role ?? null))) requireProof(actor)
  const { id } = await transaction(pool(), (db) => putPerson(db, email, input as PersonInput))
  return (await shownPeople()).find((p) => p.id === id)
})
