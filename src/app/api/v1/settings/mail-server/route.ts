import { pool } from '@/app/_server/environment'
import { givenServer, mailGoesTo, refuseFixed } from '@/app/_server/mail-server'
import { requireProof, route } from '@/app/_server/route'
import { removeMailServer, writeMailServer } from '@/store/access/mail-server'
import { transaction } from '@/store/database'

export const GET = route('GET /api/v1/settings/mail-server', async () => ({ mailServer: await mailGoesTo(pool()) }))

/** Sets the mail server; what waits goes there at once. */
export const PUT = route('PUT /api/v1/settings/mail-server', async ({ actor, json }) => {
  requireProof(actor)
  refuseFixed()
  const body = await json()
  await transaction(pool(), async (db) => {
    const { setting, secrets } = await givenServer(db, body)
    await writeMailServer(db, setting, secrets)
  })
  return { mailServer: await mailGoesTo(pool()) }
})

/** Forgets the mail server: the post room takes the mail. */
export const DELETE = route('DELETE /api/v1/settings/mail-server', async ({ actor }) => {
  requireProof(actor)
  refuseFixed()
  await transaction(pool(), removeMailServer)
  return new Response(null, { status: 204 })
})
