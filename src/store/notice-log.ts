import type { RecordId } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, touch } from './database'
import { containing } from './messages'

/** Somebody whom a notice in the application is for, and whether they have read it. */
export interface NoticePerson {
  readonly name: string
  readonly read: boolean
}

/** A notice as it stands: queued for its channel, held by limits, sent (given), failed, or cancelled. */
export interface NoticeRow {
  readonly id: number
  readonly run: number
  readonly workflow: string
  readonly channel: string | null
  readonly people: readonly NoticePerson[]
  readonly title: string
  readonly body: string
  readonly table: string | null
  readonly record: RecordId | null
  readonly state: string
  readonly attempt: number
  readonly next_at: Date
  /** What the channel said last, or why it could not be asked. */
  readonly last_reply: string | null
  readonly created_at: Date
  readonly finished_at: Date | null
  readonly held_until: Date | null
  /** Whether the person who asks has it before them, and has not read it. */
  readonly unread: boolean
}

/** `me` is whoever asks, null for nobody. */
const selectFor = (
  me: string,
) => `select n.id, n.run, w.name as workflow, n.channel, n.title, n.body, n.tbl as table, n.rec as record, n.state, n.attempt, n.next_at, n.last_reply, n.created_at, n.finished_at, n.held_until,
    coalesce((select jsonb_agg(jsonb_build_object('name', p.name, 'read', f.read_at is not null) order by p.name, p.id) from rappel.notice_for f join rappel.person p on p.id = f.person where f.notice = n.id), '[]') as people,
    exists (select from rappel.notice_for f where f.notice = n.id and f.person = ${me} and f.read_at is null) as unread
  from rappel.notice n join rappel.workflow w on w.id = n.workflow`

/** Those that are before the people whom they are for: limits hold none of them, and nobody called them off. */
const IS_SHOWN = `n.state not in ('held', 'cancelled')`

/** What notices are listed by; `after` is the id of the last one seen, newest first. */
export interface NoticesQuery {
  /** A part of the title, the text or the channel's name. */
  readonly text?: string
  readonly state?: string
  readonly workflow?: string
  readonly channel?: string
  readonly runs?: readonly number[]
  /** Whoever asks. */
  readonly me: number | null
  /** Only those before whoever asks; `unread`, only what they have not read of them. */
  readonly mine?: boolean
  readonly unread?: boolean
  readonly after?: number
  readonly limit: number
}

/** Notices, newest first. */
export function listNotices(db: Queryable, query: NoticesQuery): Promise<NoticeRow[]> {
  const { mine = false, unread = false } = query
  const forMe = `select f.notice from rappel.notice_for f where f.person = $1${unread ? ' and f.read_at is null' : ''}`
  return many<NoticeRow>(
    db,
    `${selectFor('$1')}
      where ($2::text is null or n.state = $2) and ($3::text is null or w.name = $3) and ($4::text is null or n.channel = $4) and ($5::bigint[] is null or n.run = any($5)) and ($6::bigint is null or n.id < $6)
        and ($7::text is null or rappel.folded(n.title) like rappel.folded($7) or rappel.folded(n.body) like rappel.folded($7) or rappel.folded(n.channel) like rappel.folded($7))
        ${mine || unread ? `and n.id in (${forMe}) and ${IS_SHOWN}` : ''}
      order by n.id desc limit $8`,
    [
      query.me,
      query.state ?? null,
      query.workflow ?? null,
      query.channel ?? null,
      query.runs ?? null,
      query.after ?? null,
      query.text ? containing(query.text) : null,
      query.limit,
    ],
  )
}

/** One notice, or null. */
export const readNotice = (db: Queryable, id: number, me: number | null): Promise<NoticeRow | null> => maybeOne<NoticeRow>(db, `${selectFor('$2')} where n.id = $1`, [id, me])

/** Whether a notice is for a person, and before them. */
export async function isNoticeFor(db: Queryable, id: number, person: number | null): Promise<boolean> {
  return (
    (await maybeOne(db, `select from rappel.notice_for f join rappel.notice n on n.id = f.notice where f.notice = $1 and f.person = $2 and ${IS_SHOWN}`, [id, person])) !== null
  )
}

/** Notices not read, past which it is only said that there are more. */
const MOST_UNREAD = 100

/** How many notices a person has not read, up to so many; nobody has any. */
export async function countUnread(db: Queryable, person: number | null, most = MOST_UNREAD): Promise<number> {
  const { count } = await one<{ count: number }>(
    db,
    `select count(*) as count from (select from rappel.notice_for f join rappel.notice n on n.id = f.notice where f.person = $1 and f.read_at is null and ${IS_SHOWN} limit $2) u`,
    [person, most],
  )
  return count
}

/** Notes that a person has read some notices, or all that are before them; how many of them they had not. */
export function readNotices(db: Queryable, person: number, ids: readonly number[] | null, at: Date): Promise<number> {
  return touch(
    db,
    `update rappel.notice_for f set read_at = $3 from rappel.notice n
      where n.id = f.notice and f.person = $1 and f.read_at is null and ${IS_SHOWN} and ($2::bigint[] is null or f.notice = any($2))`,
    [person, ids, at],
  )
}

/** Gives a channel a notice again that failed; whether it had. */
export async function retryNotice(db: Queryable, id: number, at: Date): Promise<boolean> {
  return (await retry(db, 'id = $1', id, at)) === 1
}

/** Gives channels the notices of a run again that failed; how many. */
export const retryNoticesOf = (db: Queryable, run: number, at: Date): Promise<number> => retry(db, 'run = $1', run, at)

async function retry(db: Queryable, which: string, of: number, at: Date): Promise<number> {
  const count = await touch(
    db,
    `update rappel.notice set state = 'queued', next_at = $2, tried_since = $2, finished_at = null where ${which} and state = 'failed' and channel is not null`,
    [of, at],
  )
  if (count > 0) await db.query(`select pg_notify('rappel_message', '')`)
  return count
}

/** Calls a notice off that waits for its channel, or that limits hold; whether it still did. What stood behind it about the same record is due. */
export async function cancelNotice(db: Queryable, id: number, at: Date): Promise<boolean> {
  const count = await touch(
    db,
    `with ended as (update rappel.notice set state = 'cancelled', finished_at = $2, last_reply = 'Called off before it was given.'
                     where id = $1 and state in ('queued', 'held') returning id, channel, tbl, rec),
          behind as (update rappel.notice q set next_at = $2 from ended e where q.state = 'queued' and q.channel = e.channel and q.tbl = e.tbl and q.rec = e.rec and q.id > e.id)
     select id from ended`,
    [id, at],
  )
  if (count === 1) await db.query(`select pg_notify('rappel_message', '')`)
  return count === 1
}

/** A channel that does not take what it is given: how many notices wait for it, since when the oldest does, and what it said last. */
export interface DeafChannel {
  readonly channel: string
  readonly notices: number
  readonly attempts: number
  readonly reply: string
  readonly since: Date
  readonly next: Date
}

/** Channels that were given what waits for them at least so many times, those with most first. */
export function listDeafChannels(db: Queryable, attempts: number, limit: number): Promise<DeafChannel[]> {
  return many<DeafChannel>(
    db,
    `select channel, count(*) as notices, max(attempt) as attempts, (array_agg(last_reply order by attempt desc, id))[1] as reply, min(tried_since) as since, min(next_at) as next
       from rappel.notice where state = 'queued' and channel is not null and last_reply is not null
      group by channel having max(attempt) >= $1 order by count(*) desc, channel limit $2`,
    [attempts, limit],
  )
}

/** A program elsewhere that does not take the changes that it is to be told. */
export interface DeafHook {
  readonly name: string
  readonly attempts: number
  readonly reply: string
  readonly next: Date
}

/** Programs that were told the next changes at least so many times and did not take them. */
export const listDeafHooks = (db: Queryable, attempts: number): Promise<DeafHook[]> =>
  many<DeafHook>(db, `select name, attempt as attempts, coalesce(reply, '') as reply, next_at as next from rappel.hook where attempt >= $1 order by name`, [attempts])

/** How many notices wait for their channels, and how many could not be given of those that are kept. */
export const countNotices = (db: Queryable): Promise<{ waiting: number; failed: number }> =>
  one(db, `select (select count(*) from rappel.notice where state = 'queued') as waiting, (select count(*) from rappel.notice where state = 'failed') as failed`)
