import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { keptName } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { refuseInUse } from '@/app/_server/uses'
import { transaction } from '@/store/database'
import { putChannel, removeChannel } from '@/store/notices'

export const GET = route('GET /api/v1/channels/[name]', ({ params }) => STATES['/api/v1/channels/[name]'](params))

/** Makes a channel or changes where its notices go; they are signed with the secret, which is never shown again. */
export const PUT = route('PUT /api/v1/channels/[name]', async ({ params, body }) => {
  const name = keptName(params.name)
  const { url, secret: given } = await body()
  if (!(await transaction(pool(), (db) => putChannel(db, name, url, given ?? null))))
    throw new Problem(422, 'Not valid', 'Give a secret of at least 12 characters, by which whoever takes notices can tell that they are Rappel’s.')
  return { name, url }
})

/** Removes a channel that no workflow uses. */
export const DELETE = route('DELETE /api/v1/channels/[name]', async ({ params }) => {
  const name = params.name
  await refuseInUse('channel', name)
  if (!(await transaction(pool(), (db) => removeChannel(db, name)))) throw new Problem(404, 'Not found', `There is no channel ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
