import { many, manyPrepared, maybeOne, one, type Queryable, touch } from '../database'
import { LOCKS } from '../locks'

export type Purpose = 'invitation' | 'reset'

/** What mail about an account is for: a link, or word that the password was changed. */
export type MailPurpose = Purpose | 'changed'

/** How long a link counts, in hours. */
const HOURS: Readonly<Record<Purpose, number>> = { invitation: 72, reset: 2 }

/** Most mails of one purpose to one person within an hour; who asks for more gets none, and is not told. */
const MOST_AN_HOUR = 5

/** Makes a link for a person, whose mail is due at once, and ends those of the same purpose made before; null where there were too many of late. */
export async function makeAccountLink(db: Queryable, person: number, purpose: Purpose, by: number | null): Promise<number | null> {
  await db.query(`select pg_advisory_xact_lock(${LOCKS.accountLinks}, hashint8($1))`, [person])
  const { made } = await one<{ made: number }>(
    db,
    `select count(*)::int as made from rappel.account_link where person = $1 and purpose = $2 and created_at > now() - interval '1 hour'`,
    [person, purpose],
  )
  if (made >= MOST_AN_HOUR) return null
  await touch(db, 'update rappel.account_link set used_at = now(), mail_due_at = null where person = $1 and purpose = $2 and used_at is null', [person, purpose])
  const { id } = await one<{ id: number }>(
    db,
    'insert into rappel.account_link (person, purpose, by, expires_at) values ($1, $2, $3, now() + make_interval(hours => $4)) returning id',
    [person, purpose, by, HOURS[purpose]],
  )
  await noteLink(db, person, purpose === 'invitation' ? 'invited' : 'link for a new password made')
  await db.query(`select pg_notify('rappel_message', '')`)
  return id
}

/** A link that still counts, with whose it is. */
export interface AccountLink {
  readonly id: number
  readonly person: number
  readonly email: string
  readonly name: string
  readonly purpose: Purpose
}

/** The link with an id, where it was not used, has not run out, and its person may sign in; else null. */
export function readAccountLink(db: Queryable, id: number): Promise<AccountLink | null> {
  return maybeOne<AccountLink>(
    db,
    `select l.id, l.person, p.email, p.name, l.purpose from rappel.account_link l join rappel.person p on p.id = l.person
      where l.id = $1 and l.purpose <> 'changed' and l.used_at is null and l.expires_at > now() and p.active and p.role is not null`,
    [id],
  )
}

async function noteLink(db: Queryable, person: number, what: string): Promise<void> {
  await db.query(`select rappel.note($2, email, '{}') from rappel.person where id = $1`, [person, what])
}

/** Uses a link up, and all others of its person; whether it still counted. */
export async function useAccountLink(db: Queryable, { id, person, purpose }: AccountLink): Promise<boolean> {
  const used = await touch(db, 'update rappel.account_link set used_at = now(), mail_due_at = null where id = $1 and used_at is null and expires_at > now()', [id])
  await touch(db, `update rappel.account_link set used_at = now(), mail_due_at = null where person = $1 and purpose <> 'changed' and used_at is null`, [person])
  if (used === 1) await noteLink(db, person, purpose === 'invitation' ? 'invitation taken up' : 'link for a new password used')
  return used === 1
}

/** Has somebody told by mail that their password was changed, so that whoever did not do it knows. */
export async function tellOfChange(db: Queryable, person: number): Promise<void> {
  await touch(db, `insert into rappel.account_link (person, purpose, expires_at) values ($1, 'changed', now() + interval '1 day')`, [person])
  await db.query(`select pg_notify('rappel_message', '')`)
}

/** A mail about somebody's account that is due. */
export interface DueAccountMail extends Omit<AccountLink, 'purpose'> {
  readonly purpose: MailPurpose
  readonly attempt: number
  readonly created_at: Date
  readonly expires_at: Date
  /** Name of whoever invited them. */
  readonly by: string | null
}

/** Claims mail about accounts that is due, and holds it for two minutes: whoever dies in between leaves it due again. */
export function claimAccountMail(db: Queryable, limit: number): Promise<DueAccountMail[]> {
  return manyPrepared<DueAccountMail>(
    db,
    'claim account mail',
    `with due as (select id from rappel.account_link where mail_due_at <= now() order by mail_due_at for update skip locked limit $1),
          claimed as (update rappel.account_link l set mail_attempt = mail_attempt + 1, mail_due_at = now() + interval '2 minutes' from due where l.id = due.id returning l.*)
     select c.id, c.person, p.email, p.name, c.purpose, c.mail_attempt as attempt, c.created_at, c.expires_at, b.name as by
       from claimed c join rappel.person p on p.id = c.person left join rappel.person b on b.id = c.by
      where c.used_at is null and c.expires_at > now() and p.active and p.role is not null`,
    [limit],
  )
}

/** Ends an attempt at a mail about an account: sent, or to be tried again after some seconds, or (null) given up. */
export async function finishAccountMail(db: Queryable, id: number, reply: string, again: 'sent' | number | null): Promise<void> {
  await touch(
    db,
    `update rappel.account_link set mail_reply = left($2, 500), mail_sent_at = case when $3 then now() end, mail_due_at = case when $4::float8 is not null then now() + make_interval(secs => $4) end where id = $1`,
    [id, reply, again === 'sent', typeof again === 'number' ? again : null],
  )
}

/** How somebody who may sign in came to do so, or has not yet. */
export interface WayIn {
  readonly person: number
  readonly hasPassword: boolean
  /** When their newest invitation went out; null where none did, or it is still on its way. */
  readonly sentAt: Date | null
  /** Until when it counts; null where it does no more, or there is none. */
  readonly openUntil: Date | null
  /** What the mail server said last. */
  readonly reply: string | null
}

/** The ways in of everybody who may sign in. */
export function listWaysIn(db: Queryable): Promise<WayIn[]> {
  return many<WayIn>(
    db,
    `select p.id as person, p.password_hash is not null as "hasPassword", l.mail_sent_at as "sentAt", l.mail_reply as reply,
            case when l.used_at is null and l.expires_at > now() then l.expires_at end as "openUntil"
       from rappel.person p
       left join lateral (select * from rappel.account_link l where l.person = p.id and l.purpose = 'invitation' order by l.id desc limit 1) l on true
      where p.role is not null and p.active`,
  )
}

/** Forgets links that ran out a month ago. */
export function purgeAccountLinks(db: Queryable): Promise<number> {
  return touch(db, `delete from rappel.account_link where expires_at < now() - interval '30 days'`)
}
