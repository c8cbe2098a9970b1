import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { secret, shaped, webAddress } from '@/app/_server/shape'
import { refuseInUse } from '@/app/_server/uses'
import { transaction } from '@/store/database'
import { putChannel, removeChannel } from '@/store/notices'

const channelSchema = yup.object({ url: webAddress().required(), secret: secret().required() }).noUnknown().strict()

/** Makes a channel or changes where its notices go; they are signed with the secret, which is never shown again. */
export const PUT = route('PUT /api/v1/channels/[name]', async ({ params, json }) => {
  const name = params.name.trim()
  const { url, secret: given } = shaped(channelSchema, await json(), 'The channel was not saved.')
  await transaction(pool(), (db) => putChannel(db, name, url, given))
  return { name, url }
})

/** Removes a channel that no workflow uses. */
export const DELETE = route('DELETE /api/v1/channels/[name]', async ({ params }) => {
  const name = params.name
  await refuseInUse('channel', name)
  if (!(await transaction(pool(), (db) => removeChannel(db, name)))) throw new Problem(404, 'Not found', `There is no channel ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
