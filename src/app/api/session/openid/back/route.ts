import { cookies } from 'next/headers'
import { baseUrl, pool, SESSION_COOKIE } from '@/app/_server/environment'
import { endOpenId, type Under } from '@/app/_server/openid'
import { route } from '@/app/_server/route'
import { noteFailure, startSession } from '@/app/_server/signing-in'
import { openSignedText } from '@/engine/signed'
import { signingSecret } from '@/store/access/secrets'
import { personByEmail } from '@/store/people'

const lead = (path: string) => new Response(null, { status: 303, headers: { location: baseUrl() + path } })

/** Where the OpenID Connect provider sends a browser back to: whoever it vouches for is signed in, if they were let in here before. */
export const GET = route('GET /api/session/openid/back', async ({ request }) => {
  const jar = await cookies()
  const name = `${SESSION_COOKIE}_openid`
  const opened = openSignedText('openid', jar.get(name)?.value ?? '', await signingSecret(pool(), 'account'))
  jar.delete({ name, path: '/api/session/openid' })
  const ended = opened ? await endOpenId(new URL(request.url).search, JSON.parse(opened) as Under) : { fault: 'refused' as const }
  const person = 'email' in ended ? await personByEmail(pool(), ended.email) : null
  if (person?.active && person.role) {
    await startSession(request, person, 'openid')
    return lead('/')
  }
  const fault = 'fault' in ended ? ended.fault : 'nobody here'
  await noteFailure(request, 'email' in ended ? ended.email : '', `sign-in failed (OpenID Connect, ${fault})`)
  return lead(`/sign-in?fault=${encodeURIComponent(fault)}`)
})
