import { cookies } from 'next/headers'
import { pool, SESSION_COOKIE } from '@/app/_server/environment'
import { beginOpenId } from '@/app/_server/openid'
import { isSecure } from '@/app/_server/origin'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { signedText } from '@/engine/signed'
import { signingSecret } from '@/store/access/secrets'

const MINUTES = 10

/** Sends a browser to the OpenID Connect provider. */
export const GET = route('GET /api/session/openid', async () => {
  const begun = await beginOpenId().catch((error: Error) => {
    throw new Problem(502, 'Provider away', `The provider that signs people in does not answer: ${error.message}`)
  })
  if (!begun) throw new Problem(404, 'Not found', 'Sign-in by OpenID Connect is not set here.')
  const kept = signedText('openid', JSON.stringify(begun.under), await signingSecret(pool(), 'account'))
  ;(await cookies()).set(`${SESSION_COOKIE}_openid`, kept, { httpOnly: true, sameSite: 'lax', secure: isSecure(), path: '/api/session/openid', maxAge: MINUTES * 60 })
  return new Response(null, { status: 303, headers: { location: begun.url } })
})
