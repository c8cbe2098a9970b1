import { cookies } from 'next/headers'
import { baseUrl, pool, SESSION_COOKIE, signInLimits } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { Problem, refuseOtherSites, route } from '@/app/_server/route'
import { checkPassword, closeSession, openSession } from '@/store/sessions'

/** Signs in with e-mail and password. */
export const POST = route('POST /api/session', async ({ request, json }) => {
  refuseOtherSites(request)
  const { email, password } = objectOf(await json())
  if (typeof email !== 'string' || typeof password !== 'string') throw new Problem(422, 'Not valid', 'Give your e-mail and your password.')
  const caller = request.headers.get('x-forwarded-for') ?? 'direct'
  const wait = await signInLimits().wait(email, caller)
  if (wait > 0) throw new Problem(429, 'Too many tries', `Signing in failed too often. Try again in ${Math.ceil(wait / 60)} min.`)
  const person = await checkPassword(pool(), email, password)
  if (!person) {
    await signInLimits().failed(email, caller)
    throw new Problem(401, 'Not signed in', 'The e-mail or the password is not right.')
  }
  await signInLimits().succeeded(email)
  await startSession(person.id)
  return { name: person.name }
})

/** Opens a session and sets its cookie. */
async function startSession(person: number): Promise<void> {
  const { token, days } = await openSession(pool(), person)
  ;(await cookies()).set(SESSION_COOKIE, token, { httpOnly: true, sameSite: 'lax', secure: baseUrl().startsWith('https:'), path: '/', maxAge: days * 86_400 })
}

/** Signs out. */
export const DELETE = route('DELETE /api/session', async ({ request }) => {
  refuseOtherSites(request)
  const jar = await cookies()
  const token = jar.get(SESSION_COOKIE)?.value
  if (token) await closeSession(pool(), token)
  jar.delete(SESSION_COOKIE)
  return new Response(null, { status: 204 })
})
