import { cookies } from 'next/headers'
import { forbidden, redirect } from 'next/navigation'
import type { ChangedBy } from '@/core/changes/change'
import type { Person, Role } from '@/store/people'
import { hasAdministrator, readToken, sessionPerson } from '@/store/sessions'
import { mayUse, type Permission } from './access'
import { pool, SESSION_COOKIE } from './environment'

/** Who is asking, and in whose name what they write is recorded. */
export interface Actor {
  readonly role: Role
  readonly person: number | null
  readonly name: string
  readonly email: string | null
  readonly by: ChangedBy
}

function signedIn(person: Person): Actor {
  return {
    role: person.role as Role,
    person: person.id,
    name: person.name,
    email: person.email,
    by: { kind: 'person', person: person.id, name: person.name },
  }
}

/** Who a request comes from: by its bearer token, else by its session; null where neither is valid. */
export async function actorOf(request: Request): Promise<Actor | null> {
  const header = request.headers.get('authorization')
  if (header !== null) return bearer(header)
  const token = (await cookies()).get(SESSION_COOKIE)?.value
  if (!token) return null
  const person = await sessionPerson(pool(), token)
  return person && signedIn(person)
}

async function bearer(header: string): Promise<Actor | null> {
  const token = /^Bearer\s+(\S+)$/i.exec(header)?.[1]
  const holder = token ? await readToken(pool(), token) : null
  if (!holder) return null
  return { role: holder.role, person: holder.person, name: holder.name, email: null, by: { kind: 'token', person: holder.person, name: holder.name } }
}

/** Whoever opens a page, when they may; else they are led to sign in, or told that it is not for them. */
export async function visitor(permission: Permission): Promise<Actor> {
  const token = (await cookies()).get(SESSION_COOKIE)?.value
  const person = token ? await sessionPerson(pool(), token) : null
  if (!person) redirect((await hasAdministrator(pool())) ? '/sign-in' : '/sign-in?first')
  const actor = signedIn(person)
  if (!mayUse(actor.role, permission)) forbidden()
  return actor
}
