import { pool } from '@/app/_server/environment'
import { discover } from '@/app/_server/openid'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { readOpenId, removeOpenId, writeOpenId } from '@/store/access/openid'
import { transaction } from '@/store/database'

export const GET = route('GET /api/v1/settings/openid', async () => ({ openid: await readOpenId(pool()) }))

/** Sets sign-in by OpenID Connect, once the provider has described itself. */
export const PUT = route('PUT /api/v1/settings/openid', async ({ actor, body }) => {
  requireProof(actor)
  const { clientSecret, ...setting } = await body()
  await discover(setting.issuer, setting.clientId, clientSecret ?? '').catch((error: Error) => {
    const message = `${setting.issuer} does not describe itself as a provider: ${error.message}. Nothing was changed.`
    throw new Problem(422, 'Not valid', message, { problems: [{ code: 'no provider', path: '/issuer', message }] })
  })
  await transaction(pool(), (db) => writeOpenId(db, setting, clientSecret ?? null))
  return { openid: await readOpenId(pool()) }
})

/** Ends sign-in by OpenID Connect; sessions that were opened by it go on. */
export const DELETE = route('DELETE /api/v1/settings/openid', async ({ actor }) => {
  requireProof(actor)
  await transaction(pool(), removeOpenId)
  return new Response(null, { status: 204 })
})
