import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { listGroups, putGroup } from '@/store/people'

const isTexts = (value: unknown): value is string[] => Array.isArray(value) && value.every((v) => typeof v === 'string')

export const PUT = route('PUT /api/v1/groups/[name]', async ({ params, json }) => {
  const { people = [], addresses = [], ...unknown } = objectOf(await json())
  if (!isTexts(people) || !isTexts(addresses) || Object.keys(unknown).length)
    throw new Problem(422, 'Not valid', 'A group has people (a list of e-mails) and addresses (a list of addresses).')
  const faulty = addresses.findIndex((a) => !isAddress(a))
  if (faulty >= 0)
    throw new Problem(422, 'Not valid', 'The group was not changed.', {
      problems: [{ code: 'faulty address', path: `/addresses/${faulty}`, message: `${JSON.stringify(addresses[faulty])} is not an e-mail address.` }],
    })
  const name = params.name.trim()
  await transaction(pool(), (db) => putGroup(db, name, people, addresses))
  return (await listGroups(pool())).find((g) => g.name === name)
})
