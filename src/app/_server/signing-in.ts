import { createHash, randomBytes } from 'node:crypto'
import { cookies } from 'next/headers'
import { openSignedText, signedText } from '@/engine/signed'
import { noteDeed } from '@/store/access/audit'
import { signingSecret } from '@/store/access/secrets'
import { checkPassword, type Entry, openSession } from '@/store/access/sessions'
import { accountOf, type Place } from '@/store/access/sign-in-limits'
import type { Person } from '@/store/people'
import { pool, SESSION_COOKIE, signInLimits } from './environment'
import { isSecure } from './origin'
import { Problem } from './problem'

/** The network address that a call came from, as the web server says it; an IPv6 network counts as one place (RFC 4291, 64 bits). */
export function callerOf(request: Request): string {
  const address = (request.headers.get('x-rappel-caller') ?? 'unknown').replace(/^::ffff:/i, '')
  return address.includes(':') ? address.split(':').slice(0, 4).join(':') : address
}

const DEVICE_DAYS = 400
const deviceCookie = (email: string) => `${SESSION_COOKIE}_known_${createHash('sha256').update(accountOf({ email })).digest('hex').slice(0, 12)}`
const options = (days: number) => ({ httpOnly: true, sameSite: 'lax' as const, secure: isSecure(), path: '/', maxAge: days * 86_400 })

/** Where somebody signs in from: a browser in which they did so before is a place of its own. */
async function placeOf(request: Request, email: string): Promise<Place> {
  const mark = (await cookies()).get(deviceCookie(email))?.value
  const opened = mark ? openSignedText('device', mark, await signingSecret(pool(), 'account')) : null
  const [account, device] = opened?.split('\n') ?? []
  return { email, caller: callerOf(request), device: device && account === accountOf({ email }) ? device : null }
}

/**
 * The person whose password this is, or null, which is noted as `failure`. Each try is counted before it is looked at, and slowed from the sixth on.
 * @throws Problem 429 where several are being slowed at once
 */
export async function personByPassword(request: Request, email: string, password: string, failure: string): Promise<Person | null> {
  const place = await placeOf(request, email)
  if ((await signInLimits().admit(place)) === 'too many at once')
    throw new Problem(429, 'Too many at once', 'Several tries to sign in with this e-mail are being slowed. Wait half a minute, then try once.', {}, { 'retry-after': '30' })
  const person = await checkPassword(pool(), email, password)
  if (person) await signInLimits().succeeded(place)
  else await noteFailure(request, email, failure)
  return person
}

/** Opens a session, sets its cookie and the mark by which this browser is known again, and notes it in the audit log. */
export async function startSession(request: Request, person: Pick<Person, 'id' | 'name' | 'email'>, way: Entry['way']): Promise<void> {
  const caller = callerOf(request)
  const { token, days } = await openSession(pool(), person.id, { way, agent: request.headers.get('user-agent'), caller })
  const mark = signedText('device', `${accountOf(person)}\n${randomBytes(12).toString('base64url')}`, await signingSecret(pool(), 'account'))
  const jar = await cookies()
  jar.set(SESSION_COOKIE, token, options(days))
  jar.set(deviceCookie(person.email), mark, options(DEVICE_DAYS))
  await noteDeed(pool(), { by: { kind: 'person', person: person.id, name: person.name }, caller, what: 'signed in', subject: person.email })
}

/** Notes in the audit log that signing in failed, and why. */
export function noteFailure(request: Request, email: string, what: string): Promise<void> {
  return noteDeed(pool(), { by: { kind: 'system', person: null, name: 'nobody' }, caller: callerOf(request), what, subject: email.trim().slice(0, 200) })
}
