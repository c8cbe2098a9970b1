import { createHash, randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import { many, maybeOne, type Queryable, touch } from '../database'
import { type Person, personByEmail, type Role } from '../people'

/** Days after which a session ends, however much it is used. */
const DAYS = 14

/** Minutes for which whoever proved who they are need not do it again for what is delicate. */
const PROVED_MINUTES = 10

/** Most characters of what a browser says of itself that are kept. */
const MOST_AGENT = 300

const COLUMNS = 'p.id, p.name, p.first_name, p.last_name, p.email, p.phone, p.team, p.manager, p.active, p.role'

const digest = (token: string) => createHash('sha256').update(token).digest()

/** A new opaque token of 256 bits, as text. */
function newToken(prefix = ''): string {
  return prefix + randomBytes(32).toString('base64url')
}

/** Sets a person's password, and ends their sessions but one. */
export async function setPassword(db: Queryable, person: number, password: string, keep: number | null = null): Promise<void> {
  await touch(db, 'update rappel.person set password_hash = $2 where id = $1', [person, await hash(password)])
  await endSessions(db, person, keep)
}

/** The active person with this e-mail and password, or null; takes as long for an unknown e-mail as for a wrong password. */
export async function checkPassword(db: Queryable, email: string, password: string): Promise<Person | null> {
  const row = await maybeOne<{ password_hash: string | null }>(
    db,
    'select password_hash from rappel.person where rappel.folded(email) = rappel.folded($1) and active and role is not null',
    [email.trim()],
  )
  const stored = row?.password_hash ?? (await decoy())
  const right = await verify(stored, password)
  return right && row?.password_hash ? personByEmail(db, email) : null
}

let decoyHash: Promise<string> | undefined
function decoy(): Promise<string> {
  decoyHash ??= hash(randomBytes(16).toString('hex'))
  return decoyHash
}

/** How a session was opened, and from where. */
export interface Entry {
  readonly way: 'password' | 'link' | 'openid'
  /** What the browser says of itself. */
  readonly agent: string | null
  readonly caller: string | null
}

/** Opens a session and gives its token, which is kept only as a hash. */
export async function openSession(db: Queryable, person: number, { way, agent, caller }: Entry): Promise<{ token: string; days: number }> {
  const token = newToken()
  await touch(db, `insert into rappel.session (token_hash, person, expires_at, way, agent, caller) values ($1, $2, now() + make_interval(days => $3), $4, $5, $6)`, [
    digest(token),
    person,
    DAYS,
    way,
    agent?.slice(0, MOST_AGENT) ?? null,
    caller,
  ])
  return { token, days: DAYS }
}

/** A session as it is found by its token. */
export interface Session extends Person {
  readonly session: number
  /** Whether its owner proved just now who they are. */
  readonly isProved: boolean
}

/** Who a session's token belongs to, or null; not one that ran out or was idle for longer than the settings allow. */
export async function sessionPerson(db: Queryable, token: string): Promise<Session | null> {
  const found = await maybeOne<Session & { isNewUse: boolean }>(
    db,
    `select ${COLUMNS}, s.id as session, s.proved_at > now() - make_interval(mins => $2) as "isProved", s.last_seen_at < now() - interval '1 minute' as "isNewUse"
       from rappel.session s join rappel.person p on p.id = s.person
      where s.token_hash = $1 and s.expires_at > now() and p.active and p.role is not null and s.last_seen_at > ${IDLE_SINCE}`,
    [digest(token), PROVED_MINUTES],
  )
  if (!found) return null
  const { isNewUse, ...session } = found
  if (isNewUse) await touch(db, 'update rappel.session set last_seen_at = now() where id = $1', [session.session])
  return session
}

/** Minutes without a call after which a session ends, where the settings say nothing. */
export const IDLE_MINUTES = 720

const IDLE_SINCE = `now() - make_interval(mins => coalesce((select (value ->> 'idleMinutes')::int from rappel.setting where key = 'organisation'), ${IDLE_MINUTES}))`

/** Notes that the owner of a session proved anew who they are. */
export async function proveSession(db: Queryable, session: number): Promise<void> {
  await touch(db, 'update rappel.session set proved_at = now() where id = $1', [session])
}

/** Ends a session. */
export async function closeSession(db: Queryable, token: string): Promise<void> {
  await touch(db, 'delete from rappel.session where token_hash = $1', [digest(token)])
}

/** Ends a person's sessions, all but one where it is given; how many. */
export function endSessions(db: Queryable, person: number, keep: number | null): Promise<number> {
  return touch(db, 'delete from rappel.session where person = $1 and id is distinct from $2', [person, keep])
}

/** Ends one session of a person; whether they had it. */
export async function endSession(db: Queryable, person: number, id: number): Promise<boolean> {
  return (await touch(db, 'delete from rappel.session where person = $1 and id = $2', [person, id])) === 1
}

/** A session as its owner sees it. */
export interface SessionRow extends Entry {
  readonly id: number
  readonly created_at: Date
  readonly last_seen_at: Date
}

/** A person's sessions that are open, the one used last first. */
export function listSessions(db: Queryable, person: number): Promise<SessionRow[]> {
  return many<SessionRow>(
    db,
    `select id, way, agent, caller, created_at, last_seen_at from rappel.session where person = $1 and expires_at > now() and last_seen_at > ${IDLE_SINCE} order by last_seen_at desc, id desc`,
    [person],
  )
}

/** Forgets sessions that have run out; how many. */
export function purgeSessions(db: Queryable): Promise<number> {
  return touch(db, `delete from rappel.session where expires_at <= now() or last_seen_at <= ${IDLE_SINCE}`)
}

/** Makes an API token that acts as a person, or as nobody in particular with a role; it is shown this once. */
export async function createToken(db: Queryable, name: string, person: number | null, role: Role): Promise<string> {
  const token = newToken('rappel_')
  await touch(db, 'insert into rappel.api_token (name, token_hash, person, role) values ($1, $2, $3, $4)', [name, digest(token), person, role])
  return token
}

export interface TokenHolder {
  readonly id: number
  readonly name: string
  readonly role: Role
  readonly person: number | null
}

/** What an API token is called, what it may do and whom it acts as; null where it is unknown or revoked, or the person has left. */
export async function readToken(db: Queryable, token: string): Promise<TokenHolder | null> {
  const holder = await maybeOne<TokenHolder & { is_new_use: boolean }>(
    db,
    `select t.id, coalesce(t.last_used_at < now() - interval '1 minute', true) as is_new_use, t.name, t.person,
            case when t.person is null or t.role = 'member' then t.role when p.role = 'administrator' then t.role when p.role = 'editor' then 'editor' else 'member' end as role
       from rappel.api_token t left join rappel.person p on p.id = t.person
      where t.token_hash = $1 and t.revoked_at is null and (t.person is null or p.active)`,
    [digest(token)],
  )
  if (!holder) return null
  const { is_new_use, ...who } = holder
  if (is_new_use) await touch(db, 'update rappel.api_token set last_used_at = now() where id = $1', [who.id])
  return who
}

/** Whether there ever was an administrator who could sign in; there always is one from then on. */
export async function hasAdministrator(db: Queryable): Promise<boolean> {
  return (await maybeOne(db, `select 1 as yes from rappel.person where role = 'administrator' and password_hash is not null limit 1`)) !== null
}

/** Whether a person has a password. */
export async function hasPassword(db: Queryable, person: number): Promise<boolean> {
  return (await maybeOne(db, 'select 1 as yes from rappel.person where id = $1 and password_hash is not null', [person])) !== null
}
