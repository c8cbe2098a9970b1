import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { shownPeople } from '@/app/_server/persons'
import { Problem, route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { isAddress } from '@/core/recipients/address'
import { type PersonInput, putPerson } from '@/store/people'

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

export const PUT = route('PUT /api/v1/people/[email]', async ({ params, json }) => {
  const email = params.email as string
  if (!isAddress(email)) throw new Problem(422, 'Not valid', `${JSON.stringify(email)} is not an e-mail address.`)
  const input = shaped(personSchema, await json(), 'The person was not changed.')
  const { id } = await putPerson(pool(), email, input as PersonInput)
  return (await shownPeople()).find((p) => p.id === id)
})
