import type { Workflow } from '@/core/document/document'
import type { DigestRow } from '@/core/limits/digest-mail'
import type { RecordId } from '@/core/values/tables'
import type { Attachment, Mailbox, PlannedRecipient } from '@/core/workflow/plan'
import { many, manyPrepared, maybeOne, type Queryable, touch, touchPrepared } from './database'
import { keyJson } from './keys'
import type { Trace } from './runs'

/** What a message says, and about which record where it is about one, from the moment it is queued until it is sent. */
interface MessageContent {
  readonly tbl: string | null
  readonly rec: RecordId | null
  readonly message_id: string
  readonly sender: Mailbox
  readonly reply_to: Mailbox | null
  readonly subject: string
  readonly html: string
  readonly body: string
  readonly priority: 'low' | 'normal' | 'high'
  /** Null where there are none. */
  readonly attachments: readonly Attachment[] | null
  /** What it belongs together with, where that is not a record. */
  readonly thread?: string | null
  /** Where its one recipient, somebody outside, can say stop. */
  readonly stop_link?: string | null
  readonly created_at: Date
}

/** A message about to be queued. */
export interface NewMessage extends MessageContent {
  readonly run: number
  readonly workflow: number
  readonly action: string
  readonly changed_at: Date
  /** What holds it back and until when; null where nothing does. What a cap holds has no end of its own. */
  readonly held_for?: 'quiet' | 'digest' | 'cap' | null
  readonly held_until?: Date | null
  /** What a digest says of it. */
  readonly digest_row?: DigestRow | null
  readonly recipients: readonly (PlannedRecipient & { part: 'to' | 'cc' | 'bcc' })[]
}

/** Messages queued in one statement, so that no statement grows beyond what can be sent. */
const AT_ONCE = 500

/** Queues messages with their recipients, and wakes whoever delivers. */
export async function queueMessages(db: Queryable, messages: readonly NewMessage[]): Promise<void> {
  if (messages.length === 0) return
  for (let i = 0; i < messages.length; i += AT_ONCE) await queueSome(db, messages.slice(i, i + AT_ONCE))
  await db.query(`select pg_notify('rappel_message', '')`)
}

async function queueSome(db: Queryable, messages: readonly NewMessage[]): Promise<void> {
  await touchPrepared(
    db,
    'queue messages',
    `with given as (
       select * from jsonb_to_recordset($1::jsonb) as m (run bigint, workflow bigint, action text, tbl text, rec jsonb, message_id text, sender jsonb,
              reply_to jsonb, subject text, html text, body text, priority text, attachments jsonb, changed_at timestamptz, created_at timestamptz, held_for text, held_until timestamptz,
              digest_row jsonb, stop_link text, recipients jsonb)),
     queued as (
       insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, reply_to, subject, html, body, priority, attachments, next_at, changed_at, created_at, state, held_for, held_until, digest_row, stop_link)
       select run, workflow, action, tbl, nullif(rec, 'null'), message_id, sender, nullif(reply_to, 'null'), subject, html, body, priority, nullif(attachments, 'null'), created_at, changed_at, created_at,
              case when held_for is null then 'queued' else 'held' end, held_for, held_until, nullif(digest_row, 'null'),
              case when stop_link is not null and not exists (select from rappel.person p where lower(p.email) = lower(recipients -> 0 ->> 'address')) then stop_link end from given
       returning id, message_id)
     insert into rappel.message_recipient (message, position, part, address, name, path)
     select q.id, r.position, r.value ->> 'part', r.value ->> 'address', r.value ->> 'name', r.value ->> 'path'
       from given g join queued q using (message_id) cross join lateral jsonb_array_elements(g.recipients) with ordinality as r (value, position)`,
    [JSON.stringify(messages)],
  )
}

export interface OpenRecipient {
  readonly position: number
  readonly part: 'to' | 'cc' | 'bcc'
  readonly address: string
  readonly name: string | null
  readonly state: 'open' | 'sent' | 'failed'
}

/** A message as it is handed to delivery: this attempt's number fences every exit. */
export interface ClaimedMessage extends MessageContent {
  readonly id: number
  readonly attempt: number
  /** Since when it is tried: its first attempt, or the first after it was tried again by hand. */
  readonly tried_since?: Date
  readonly recipients: readonly OpenRecipient[]
}

/** Claims messages that are due, oldest first; the attempt rises in the claim. */
export function claimMessages(db: Queryable, worker: number, limit: number, now: Date): Promise<ClaimedMessage[]> {
  return manyPrepared<ClaimedMessage>(
    db,
    'claim messages',
    `with due as (select id from rappel.message where state = 'queued' and next_at <= $3 order by next_at, id for update skip locked limit $2),
          claimed as (update rappel.message m set state = 'sending', worker = $1, attempt = attempt + 1, tried_since = coalesce(m.tried_since, $3) from due where m.id = due.id returning m.*)
     select c.id, c.attempt, c.tbl, c.rec, c.message_id, c.sender, c.reply_to, c.subject, c.html, c.body, c.priority, c.attachments, c.thread, c.stop_link, c.created_at, c.tried_since,
            (select jsonb_agg(jsonb_build_object('position', r.position, 'part', r.part, 'address', r.address, 'name', r.name, 'state', r.state) order by r.position)
               from rappel.message_recipient r where r.message = c.id) as recipients
       from claimed c order by c.id`,
    [worker, limit, now],
  )
}

/** When the next queued message is due, or null. */
export async function nextDue(db: Queryable): Promise<Date | null> {
  return (await maybeOne<{ at: Date | null }>(db, `select min(next_at) as at from rappel.message where state = 'queued'`))?.at ?? null
}

/** How an attempt came out. */
export interface Outcome {
  readonly message: number
  readonly attempt: number
  readonly worker: number
  readonly at: Date
  readonly milliseconds: number
  readonly outcome: 'sent' | 'partly' | 'deferred' | 'refused' | 'lost'
  readonly reply: string
  readonly state: 'sent' | 'queued' | 'failed'
  readonly nextAt: Date | null
  readonly recipients: readonly { position: number; state: 'open' | 'sent' | 'failed'; reply: string }[]
}

/** Ends attempts: state per recipient, a line in the attempts' log, and the message's next state. Whoever no longer holds the attempt changes nothing. */
export async function finishAttempts(db: Queryable, outcomes: readonly Outcome[]): Promise<number> {
  if (outcomes.length === 0) return 0
  return touchPrepared(
    db,
    'finish attempts',
    `with given as (
       select * from jsonb_to_recordset($1::jsonb) as o (message bigint, attempt int, worker int, at timestamptz, milliseconds int, outcome text, reply text,
              state text, "nextAt" timestamptz, recipients jsonb)),
     ended as (
       update rappel.message m set state = g.state, worker = null, last_reply = g.reply, next_at = coalesce(g."nextAt", m.next_at),
              finished_at = case when g.state = 'queued' then null else g.at end
         from given g where m.id = g.message and m.attempt = g.attempt and m.worker = g.worker and m.state = 'sending'
       returning m.id),
     per_recipient as (
       update rappel.message_recipient r set state = v.value ->> 'state', reply = v.value ->> 'reply'
         from given g join ended e on e.id = g.message cross join lateral jsonb_array_elements(g.recipients) as v (value)
        where r.message = g.message and r.position = (v.value ->> 'position')::int)
     insert into rappel.delivery_attempt (message, attempt, at, milliseconds, outcome, reply)
     select g.message, g.attempt, g.at, g.milliseconds, g.outcome, g.reply from given g join ended e on e.id = g.message`,
    [JSON.stringify(outcomes)],
  )
}

/** Notes addresses that bounced for good. */
export async function suppressAddresses(db: Queryable, addresses: readonly { address: string; reason: string }[]): Promise<void> {
  for (const { address, reason } of addresses) await touch(db, 'insert into rappel.suppression (address, reason) values (lower($1), $2) on conflict do nothing', [address, reason])
}

export interface MessageRow {
  readonly id: number
  readonly run: number | null
  /** The change that fired its run. */
  readonly change: number | null
  readonly workflow: string | null
  readonly action: string
  readonly table: string | null
  readonly record: RecordId | null
  readonly message_id: string
  readonly from: Mailbox
  readonly subject: string
  readonly state: string
  readonly attempt: number
  readonly next_at: Date
  readonly last_reply: string | null
  readonly changed_at: Date
  readonly created_at: Date
  readonly finished_at: Date | null
  /** Why limits hold it, and until when; null where they never did. */
  readonly held_for: 'quiet' | 'digest' | 'cap' | null
  readonly held_until: Date | null
  /** The digests that recipients got it in. */
  readonly digests: readonly number[]
  readonly recipients: { part: string; address: string; name: string | null; state: string; reply: string | null }[]
}

const SELECT = `select m.id, m.run, (select r.change_id from rappel.run r where r.id = m.run) as change, w.name as workflow, m.action, m.tbl as table, m.rec as record, m.message_id, m.sender as from, m.subject, m.state, m.attempt,
    m.next_at, m.last_reply, m.changed_at, m.created_at, m.finished_at, m.held_for, m.held_until,
    (select coalesce(array_agg(distinct r.digest), '{}') from rappel.message_recipient r where r.message = m.id and r.digest is not null) as digests,
    (select jsonb_agg(jsonb_build_object('part', r.part, 'address', r.address, 'name', r.name, 'state', r.state, 'reply', r.reply) order by r.position)
       from rappel.message_recipient r where r.message = m.id) as recipients`

/** What messages are listed by; `after` is the id of the last one seen, newest first. */
export interface MessagesQuery {
  /** A part of the subject or of an address. */
  readonly text?: string
  readonly ids?: readonly number[]
  readonly to?: string
  readonly state?: string
  readonly workflow?: string
  readonly run?: number
  readonly table?: string
  readonly record?: RecordId
  readonly after?: number
  readonly limit: number
}

/** A pattern of `like` for whatever contains a text, its wildcards being letters like any others. */
export const containing = (text: string) => `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`

/** Messages, newest first. */
export function listMessages(db: Queryable, query: MessagesQuery): Promise<MessageRow[]> {
  return many<MessageRow>(
    db,
    `${SELECT} from rappel.message m left join rappel.workflow w on w.id = m.workflow
      where ($1::text is null or exists (select from rappel.message_recipient r where r.message = m.id and lower(r.address) = lower($1)))
        and ($2::text is null or m.state = $2) and ($3::text is null or w.name = $3) and ($4::bigint is null or m.id = any (array (select x.message from rappel.run_message x where x.run = $4)))
        and ($5::text is null or m.tbl = $5) and ($6::jsonb is null or m.rec = $6) and ($7::bigint is null or m.id < $7)
        and ($8::text is null or m.subject ilike $8 or exists (select from rappel.message_recipient r where r.message = m.id and r.address ilike $8))
        and ($9::bigint[] is null or m.id = any($9))
      order by m.id desc limit $10`,
    [
      query.to ?? null,
      query.state ?? null,
      query.workflow ?? null,
      query.run ?? null,
      query.table ?? null,
      query.record === undefined ? null : keyJson(query.record),
      query.after ?? null,
      query.text ? containing(query.text) : null,
      query.ids ?? null,
      query.limit,
    ],
  )
}

export interface MessageDetail extends MessageRow {
  readonly reply_to: Mailbox | null
  readonly html: string
  readonly body: string
  readonly priority: 'low' | 'normal' | 'high'
  readonly attachments: readonly Attachment[] | null
  readonly thread: string | null
  readonly stop_link: string | null
  readonly attempts: { attempt: number; at: string; milliseconds: number; outcome: string; reply: string }[]
}

/** One message with its text and its attempts, or null. */
export function readMessage(db: Queryable, id: number): Promise<MessageDetail | null> {
  return maybeOne<MessageDetail>(
    db,
    `${SELECT}, m.reply_to, m.html, m.body, m.priority, m.attachments, m.thread, m.stop_link,
       coalesce((select jsonb_agg(to_jsonb(a.*) - 'message' order by a.attempt) from rappel.delivery_attempt a where a.message = m.id), '[]') as attempts
       from rappel.message m left join rappel.workflow w on w.id = m.workflow where m.id = $1`,
    [id],
  )
}

/** What somebody who got a message may know of how it came about: the message, the run's trace and the document that ran; null where there is none. */
export function readOrigin(db: Queryable, messageId: string): Promise<Origin | null> {
  return maybeOne<Origin>(
    db,
    `select m.id, m.subject, m.created_at, m.finished_at, m.changed_at, m.state, m.tbl as table, m.stop_link, w.name as workflow, r.title, r.trace, coalesce(v.document, t.document) as document,
            (select jsonb_agg(jsonb_build_object('part', x.part, 'address', x.address, 'path', x.path,
                                                 'inside', exists (select from rappel.person p where lower(p.email) = lower(x.address) and p.active)) order by x.position)
               from rappel.message_recipient x where x.message = m.id) as recipients
       from rappel.message m join rappel.run r on r.id = m.run join rappel.workflow w on w.id = r.workflow
       left join rappel.workflow_version v on v.workflow = r.workflow and v.version = r.version left join rappel.trial t on t.id = r.trial
      where m.message_id = $1`,
    [messageId],
  )
}

/** Where a message came from. */
export interface Origin {
  readonly id: number
  readonly subject: string
  readonly created_at: Date
  readonly finished_at: Date | null
  readonly changed_at: Date
  readonly state: string
  readonly table: string | null
  /** Where its one recipient, somebody outside, can say stop; null where that is not offered. */
  readonly stop_link: string | null
  readonly workflow: string
  /** The title of the record it is about. */
  readonly title: string
  readonly trace: Trace
  readonly document: Workflow
  /** `inside`: the address is that of an active person here. */
  readonly recipients: readonly { readonly part: string; readonly address: string; readonly path: string | null; readonly inside: boolean }[]
}

/**
 * Queues a failed message again, with only what is still open or failed to be tried; whether it was failed.
 * With `to`, what failed goes to that address instead.
 */
export async function retryMessage(db: Queryable, id: number, now: Date, to: string | null = null): Promise<boolean> {
  const count = await touch(db, `update rappel.message set state = 'queued', next_at = $2, tried_since = null, finished_at = null where id = $1 and state = 'failed'`, [id, now])
  if (count === 0) return false
  await touch(
    db,
    `update rappel.message_recipient set state = 'open', address = coalesce($2, address), name = case when $2 is null then name end where message = $1 and state = 'failed'`,
    [id, to],
  )
  await db.query(`select pg_notify('rappel_message', '')`)
  return true
}

/** Queues the failed messages of a run again; how many. */
export async function retryMailOf(db: Queryable, run: number, now: Date): Promise<number> {
  const failed = await many<{ id: number }>(
    db,
    `select m.id from rappel.run_message x join rappel.message m on m.id = x.message where x.run = $1 and m.state = 'failed' order by m.id`,
    [run],
  )
  let count = 0
  for (const { id } of failed) if (await retryMessage(db, id, now)) count++
  return count
}

/** Calls a message off that waits to be sent; whether it still waited. */
export async function cancelMessage(db: Queryable, id: number, at: Date): Promise<boolean> {
  return (
    (await touch(
      db,
      `update rappel.message set state = 'cancelled', finished_at = $2, last_reply = 'Called off before it was sent.' where id = $1 and state in ('queued', 'held')`,
      [id, at],
    )) === 1
  )
}

/** Lets messages go at once that wait because the server could not be reached; how many. */
export async function releaseLost(db: Queryable, now: Date): Promise<number> {
  const count = await touch(
    db,
    `update rappel.message m set next_at = $1 where m.state = 'queued' and m.next_at > $1 and m.attempt > 0
        and exists (select from rappel.delivery_attempt a where a.message = m.id and a.attempt = m.attempt and a.outcome = 'lost')`,
    [now],
  )
  if (count) await db.query(`select pg_notify('rappel_message', '')`)
  return count
}
