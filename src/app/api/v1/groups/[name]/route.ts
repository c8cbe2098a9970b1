import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { keptName } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { refuseInUse } from '@/app/_server/uses'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { listGroups, putGroup, removeGroup } from '@/store/people'

export const GET = route('GET /api/v1/groups/[name]', ({ params }) => STATES['/api/v1/groups/[name]'](params))

export const PUT = route('PUT /api/v1/groups/[name]', async ({ params, body }) => {
  const { people = [], addresses = [] } = await body()
  const faulty = addresses.findIndex((a) => !isAddress(a))
  if (faulty >= 0)
    throw new Problem(422, 'Not valid', 'The group was not changed.', {
      problems: [{ code: 'faulty address', path: `/addresses/${faulty}`, message: `${JSON.stringify(addresses[faulty])} is not an e-mail address.` }],
    })
  const name = keptName(params.name)
  await transaction(pool(), (db) => putGroup(db, name, people, addresses))
  return (await listGroups(pool())).find((g) => g.name === name)
})

/** Deletes a group that no workflow names. */
export const DELETE = route('DELETE /api/v1/groups/[name]', async ({ params: { name } }) => {
  await refuseInUse('group', name)
  if (!(await transaction(pool(), (db) => removeGroup(db, name)))) throw new Problem(404, 'Not found', `There is no group ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
