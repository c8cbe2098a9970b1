import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { discover, isIssuer } from '@/app/_server/openid'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { domains, shaped } from '@/app/_server/shape'
import { readOpenId, removeOpenId, writeOpenId } from '@/store/access/openid'
import { transaction } from '@/store/database'

const text = () => yup.string().strict().trim().min(1).max(300)

const openIdSchema = yup
  .object({
    issuer: text()
      .required()
      .test('issuer', '${path} is no address of a provider, such as https://login.office.example', (v) => isIssuer(v ?? '')),
    clientId: text().required(),
    clientSecret: yup.string().strict().max(1_000),
    label: text().max(60).required(),
    domains: domains().min(1).max(50).required(),
  })
  .noUnknown()
  .strict()

export const GET = route('GET /api/v1/settings/openid', async () => ({ openid: await readOpenId(pool()) }))

/** Sets sign-in by OpenID Connect, once the provider has described itself. */
export const PUT = route('PUT /api/v1/settings/openid', async ({ actor, json }) => {
  requireProof(actor)
  const { clientSecret, ...setting } = shaped(openIdSchema, await json(), 'Sign-in by OpenID Connect was not set.')
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
