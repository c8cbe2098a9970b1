import { createHash, randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import { maybeOne, type Queryable, touch } from './database'
import { type Person, personByEmail, type Role } from './people'

const DAYS = 14
const COLUMNS = 'p.id, p.name, p.first_name, p.last_name, p.email, p.phone, p.team, p.manager, p.active, p.role'

const digest = (token: string) => createHash('sha256').update(token).digest()

/** A new opaque token of 256 bits, as text. */
function newToken(prefix = ''): string {
  return prefix + randomBytes(32).toString('base64url')
}

/** Sets a person's password. */
export async function setPassword(db: Queryable, person: number, password: string): Promise<void> {
  await touch(db, 'update rappel.person set password_hash = $2 where id = $1', [person, await hash(password)])
}

/** The active person with this e-mail and password, or null; takes as long for an unknown e-mail as for a wrong password. */
export async function checkPassword(db: Queryable, email: string, password: string): Promise<Person | null> {
  const row = await maybeOne<{ password_hash: string | null }>(db, 'select password_hash from rappel.person where lower(email) = lower($1) and active and role is not null', [
    email.trim(),
  ])
  const stored = row?.password_hash ?? (await decoy())
  const right = await verify(stored, password)
  return right && row?.password_hash ? personByEmail(db, email) : null
}

let decoyHash: Promise<string> | undefined
function decoy(): Promise<string> {
  decoyHash ??= hash(randomBytes(16).toString('hex'))
  return decoyHash
}

/** Opens a session and gives its token, which is kept only as a hash. */
export async function openSession(db: Queryable, person: number): Promise<{ token: string; days: number }> {
  const token = newToken()
  await touch(db, `insert into rappel.session (token_hash, person, expires_at) values ($1, $2, now() + make_interval(days => $3))`, [digest(token), person, DAYS])
  return { token, days: DAYS }
}

/** Who a session's token belongs to, or null. */
export function sessionPerson(db: Queryable, token: string): Promise<Person | null> {
  return maybeOne<Person>(
    db,
    `select ${COLUMNS} from rappel.session s join rappel.person p on p.id = s.person where s.token_hash = $1 and s.expires_at > now() and p.active and p.role is not null`,
    [digest(token)],
  )
}

/** Ends a session. */
export async function closeSession(db: Queryable, token: string): Promise<void> {
  await touch(db, 'delete from rappel.session where token_hash = $1', [digest(token)])
}

/** Forgets sessions that have run out; how many. */
export function purgeSessions(db: Queryable): Promise<number> {
  return touch(db, 'delete from rappel.session where expires_at <= now()')
}

/** Makes an API token that acts as a person, or as nobody in particular with a role; it is shown this once. */
export async function createToken(db: Queryable, name: string, person: number | null, role: Role): Promise<string> {
  const token = newToken('rappel_')
  await touch(db, 'insert into rappel.api_token (name, token_hash, person, role) values ($1, $2, $3, $4)', [name, digest(token), person, role])
  return token
}

export interface TokenHolder {
  readonly name: string
  readonly role: Role
  readonly person: number | null
}

/** What an API token is called, what it may do and whom it acts as; null where it is unknown or revoked, or the person has left. */
export async function readToken(db: Queryable, token: string): Promise<TokenHolder | null> {
  const holder = await maybeOne<TokenHolder & { id: number; is_new_use: boolean }>(
    db,
    `select t.id, coalesce(t.last_used_at < now() - interval '1 minute', true) as is_new_use, t.name, t.person,
            case when t.person is null or t.role = 'member' then t.role when p.role = 'administrator' then t.role when p.role = 'editor' then 'editor' else 'member' end as role
       from rappel.api_token t left join rappel.person p on p.id = t.person
      where t.token_hash = $1 and t.revoked_at is null and (t.person is null or p.active)`,
    [digest(token)],
  )
  if (!holder) return null
  const { id, is_new_use, ...who } = holder
  if (is_new_use) await touch(db, 'update rappel.api_token set last_used_at = now() where id = $1', [id])
  return who
}

/** Whether there ever was an administrator who could sign in; there always is one from then on. */
export async function hasAdministrator(db: Queryable): Promise<boolean> {
  return (await maybeOne(db, `select 1 as yes from rappel.person where role = 'administrator' and password_hash is not null limit 1`)) !== null
}
