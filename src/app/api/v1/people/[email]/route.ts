import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { shownPeople } from '@/app/_server/persons'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { type PersonInput, personByEmail, putPerson } from '@/store/people'

const text = () => yup.string().strict().nullable().max(200)

const personSchema = yup
  .object({
    name: yup.string().strict().max(200),
    first_name: text(),
    last_name: text(),
    phone: text(),
    team: text(),
    manager: text(),
    active: yup.boolean().strict(),
    role: yup.string().strict().nullable().oneOf(['administrator', 'editor', 'member', null]),
  })
  .noUnknown()
  .strict()

export const PUT = route('PUT /api/v1/people/[email]', async ({ actor, params, json }) => {
  const email = params.email
  if (!isAddress(email)) throw new Problem(422, 'Not valid', `${JSON.stringify(email)} is not an e-mail address.`)
  const input = shaped(personSchema, await json(), 'The person was not changed.')
  const old = await personByEmail(pool(), email)
  const isBack = input.active === true && old !== null && !old.active && old.role !== null
  if (isBack || (input.role !== undefined && input.role !== (old?.role ?? null))) requireProof(actor)
  const { id } = await transaction(pool(), (db) => putPerson(db, email, input as PersonInput))
  return (await shownPeople()).find((p) => p.id === id)
})
