import { many, maybeOne, one, type Queryable, touch } from '../database'

/** When the next held message or notice is due, or null. Workflows that are paused keep what is held, and are not looked at. */
export async function nextHeld(db: Queryable): Promise<Date | null> {
  const row = await maybeOne<{ at: Date | null }>(
    db,
    `select min(x.at) as at from rappel.workflow w cross join lateral (
       select min(m.held_until) as at from rappel.message m where m.workflow = w.id and m.state = 'held' and m.held_for = 'quiet'
       union all select min(m.held_until) from rappel.message m where m.workflow = w.id and m.state = 'held' and m.held_for = 'digest'
       union all select min(n.held_until) from rappel.notice n where n.workflow = w.id and n.state = 'held') x
      where w.state <> 'paused'`,
  )
  return row?.at ?? null
}

/** Lets messages and notices go whose quiet hours are over, in order; how many. */
export async function releaseQuiet(db: Queryable, now: Date, limit: number): Promise<number> {
  const messages = await touch(
    db,
    `with due as (select x.id from rappel.workflow w cross join lateral (
                    select m.id from rappel.message m where m.workflow = w.id and m.state = 'held' and m.held_for = 'quiet' and m.held_until <= $1 order by m.held_until, m.id limit $2) x
                   where w.state <> 'paused' order by x.id limit $2),
          taken as (select m.id from rappel.message m join due on due.id = m.id where m.state = 'held' order by m.id for update of m skip locked)
     update rappel.message m set state = 'queued', next_at = $1 from taken where m.id = taken.id`,
    [now, limit],
  )
  const notices = await touch(
    db,
    `with due as (select x.id from rappel.workflow w cross join lateral (
                    select n.id from rappel.notice n where n.workflow = w.id and n.state = 'held' and n.held_until <= $1 order by n.held_until, n.id limit $2) x
                   where w.state <> 'paused' order by x.id limit $2),
          taken as (select n.id from rappel.notice n join due on due.id = n.id where n.state = 'held' order by n.id for update of n skip locked)
     update rappel.notice n set state = case when n.channel is null then 'sent' else 'queued' end, next_at = $1, finished_at = case when n.channel is null then $1::timestamptz end from taken where n.id = taken.id`,
    [now, limit],
  )
  if (messages + notices > 0) await db.query(`select pg_notify('rappel_message', '')`)
  return messages + notices
}

/** Mail and notices of a workflow that are held. */
export interface HeldMail {
  readonly workflow: string
  readonly reason: 'quiet' | 'digest' | 'cap'
  readonly until: Date | null
  readonly count: number
  readonly notices: number
  readonly paused: boolean
}

/** What is held now, by workflow, why, and until when; those that a cap stopped first. */
export const listHeld = (db: Queryable): Promise<HeldMail[]> =>
  many<HeldMail>(
    db,
    `with held as (select workflow, held_for, held_until, count(*) as mail, 0 as notices from rappel.message where state = 'held' group by 1, 2, 3
                   union all select workflow, 'quiet', held_until, 0, count(*) from rappel.notice where state = 'held' group by 1, 2, 3)
     select w.name as workflow, h.held_for as reason, h.held_until as until, sum(h.mail)::int as count, sum(h.notices)::int as notices, w.state = 'paused' as paused
       from held h join rappel.workflow w on w.id = h.workflow group by w.name, w.state, h.held_for, h.held_until order by h.held_until nulls first, w.name limit 50`,
  )

/** How many mails and notices of a workflow are held, and how many of them are notices. */
export async function countHeld(db: Queryable, workflow: number): Promise<{ held: number; heldNotices: number }> {
  const { mails, notices } = await one<{ mails: number; notices: number }>(
    db,
    `select (select count(*) from rappel.message where workflow = $1 and state = 'held') as mails, (select count(*) from rappel.notice where workflow = $1 and state = 'held') as notices`,
    [workflow],
  )
  return { held: mails + notices, heldNotices: notices }
}

/** Sends or drops what a cap holds of a workflow; how many mails that were. */
export async function endCap(db: Queryable, workflow: string, deed: 'send' | 'drop', now: Date): Promise<number> {
  const count = await touch(
    db,
    `update rappel.message m set state = case when $2 = 'send' then 'queued' else 'cancelled' end, next_at = $3, finished_at = case when $2 = 'send' then null else $3::timestamptz end,
            last_reply = case when $2 = 'send' then last_reply else 'Dropped: past the most of a day.' end
       from rappel.workflow w where w.id = m.workflow and w.name = $1 and m.state = 'held' and m.held_for = 'cap'`,
    [workflow, deed, now],
  )
  if (count > 0) await db.query(`select pg_notify('rappel_message', '')`)
  return count
}
