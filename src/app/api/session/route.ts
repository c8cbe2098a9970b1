import { cookies } from 'next/headers'
import { pool, SESSION_COOKIE } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { refuseOtherSites, route } from '@/app/_server/route'
import { callerOf, personByPassword, startSession } from '@/app/_server/signing-in'
import { noteDeed } from '@/store/access/audit'
import { closeSession, sessionPerson } from '@/store/access/sessions'

/** Signs in with e-mail and password. Each try is counted before it is looked at, and from the sixth on it is answered slowly. */
export const POST = route('POST /api/session', async ({ request, json }) => {
  refuseOtherSites(request)
  const { email, password } = objectOf(await json())
  if (typeof email !== 'string' || typeof password !== 'string') throw new Problem(422, 'Not valid', 'Give your e-mail and your password.')
  const person = await personByPassword(request, email, password, 'sign-in failed')
  if (!person) throw new Problem(401, 'Not signed in', 'The e-mail or the password is not right.')
  await startSession(request, person, 'password')
  return { name: person.name }
})

/** Signs out. */
export const DELETE = route('DELETE /api/session', async ({ request }) => {
  refuseOtherSites(request)
  const jar = await cookies()
  const token = jar.get(SESSION_COOKIE)?.value
  const person = token ? await sessionPerson(pool(), token) : null
  if (token) await closeSession(pool(), token)
  if (person) await noteDeed(pool(), { by: { kind: 'person', person: person.id, name: person.name }, caller: callerOf(request), what: 'signed out', subject: person.email })
  jar.delete(SESSION_COOKIE)
  return new Response(null, { status: 204 })
})
