import { cookies } from 'next/headers'
import { forbidden, redirect } from 'next/navigation'
import type { ChangedBy } from '@/core/changes/change'
import { must } from '@/core/must'
import { hasAdministrator, readToken, type Session, sessionPerson } from '@/store/access/sessions'
import type { Role } from '@/store/people'
import { mayUse, type Permission } from './access'
import { pool, SESSION_COOKIE } from './environment'

/** Who is asking, and in whose name what they write is recorded. */
export interface Actor {
  readonly role: Role
  readonly person: number | null
  readonly name: string
  readonly email: string | null
  readonly by: ChangedBy
  /** The session that a person came with; null for a token. */
  readonly session: number | null
  /** Whether they proved just now who they are; a token proves it with every call. */
  readonly isProved: boolean
  /** What their calls are counted under. */
  readonly counted: string
}

function signedIn(person: Session): Actor {
  return {
    role: must(person.role),
    person: person.id,
    name: person.name,
    email: person.email,
    by: { kind: 'person', person: person.id, name: person.name },
    session: person.session,
    isProved: person.isProved,
    counted: `person ${person.id}`,
  }
}

/** Who a request comes from: by its bearer token, else by its session; null where neither is valid. */
export async function actorOf(request: Request): Promise<Actor | null> {
  const header = request.headers.get('authorization')
  if (header !== null) return bearer(header)
  return visitorIfAny()
}

async function bearer(header: string): Promise<Actor | null> {
  const token = /^Bearer\s+(\S+)$/i.exec(header)?.[1]
  const holder = token ? await readToken(pool(), token) : null
  if (!holder) return null
  return {
    role: holder.role,
    person: holder.person,
    name: holder.name,
    email: null,
    by: { kind: 'token', person: holder.person, name: holder.name },
    session: null,
    isProved: true,
    counted: `token ${holder.id}`,
  }
}

/** Whoever opens a page that anyone may open, where they are signed in; else null. */
export async function visitorIfAny(): Promise<Actor | null> {
  const token = (await cookies()).get(SESSION_COOKIE)?.value
  const person = token ? await sessionPerson(pool(), token) : null
  return person && signedIn(person)
}

/** Whoever opens a page, when they may; else they are led to sign in, or told that it is not for them. */
export async function visitor(permission: Permission): Promise<Actor> {
  const actor = await visitorIfAny()
  if (!actor) redirect((await hasAdministrator(pool())) ? '/sign-in' : '/sign-in?first')
  if (!mayUse(actor.role, permission)) forbidden()
  return actor
}
