import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
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
  const input = objectOf(await json())
  try {
    personSchema.validateSync(input, { abortEarly: false, strict: true })
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) throw error
    throw new Problem(422, 'Not valid', 'The person was not changed.', {
      problems: error.inner.map((e) => ({ code: 'wrong shape', path: `/${e.path ?? ''}`, message: `${e.message}.` })),
    })
  }
  return putPerson(pool(), email, input as PersonInput)
})
