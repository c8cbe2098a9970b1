import { pool } from '@/app/_server/environment'
import { givenServer, mailGoesTo, placeOf, refuseFixed } from '@/app/_server/mail-server'
import { requireProof, route } from '@/app/_server/route'
import { removeMailServer, writeMailServer } from '@/store/access/mail-server'
import { transaction } from '@/store/database'

export const GET = route('GET /api/v1/settings/mail-server', async () => ({ mailServer: await mailGoesTo(pool()) }))

/** Sets the mail server, or with `place` one to fall back on; what waits goes there at once. */
export const PUT = route('PUT /api/v1/settings/mail-server', async ({ actor, json, query }) => {
  requireProof(actor)
  refuseFixed()
  const body = await json()
  await transaction(pool(), async (db) => {
    const place = await placeOf(db, query)
    const { setting, secrets } = await givenServer(db, body, place)
    await writeMailServer(db, setting, secrets, place)
  })
  return { mailServer: await mailGoesTo(pool()) }
})

/** Forgets a mail server; without any the post room takes the mail. */
export const DELETE = route('DELETE /api/v1/settings/mail-server', async ({ actor, query }) => {
  requireProof(actor)
  refuseFixed()
  await transaction(pool(), async (db) => removeMailServer(db, await placeOf(db, query)))
  return new Response(null, { status: 204 })
})
