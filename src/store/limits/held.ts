import type { DigestEntry } from '@/core/limits/digest-mail'
import type { RenderedMessage } from '@/core/message/render'
import type { Mailbox } from '@/core/workflow/plan'
import { many, maybeOne, one, type Queryable, touch } from '../database'

/** Workflows that are paused keep what is held. */
const NOT_PAUSED = `not exists (select from rappel.workflow w where w.id = m.workflow and w.state = 'paused')`

/** When the next held message or notice is due, or null. */
export async function nextHeld(db: Queryable): Promise<Date | null> {
  const row = await maybeOne<{ at: Date | null }>(
    db,
    `select least((select min(held_until) from rappel.message m where state = 'held' and ${NOT_PAUSED}), (select min(held_until) from rappel.notice m where state = 'held' and ${NOT_PAUSED})) as at`,
  )
  return row?.at ?? null
}

/** Lets messages and notices go whose quiet hours are over, in order; how many. */
export async function releaseQuiet(db: Queryable, now: Date, limit: number): Promise<number> {
  const messages = await touch(
    db,
    `with due as (select m.id from rappel.message m where m.state = 'held' and m.held_for = 'quiet' and m.held_until <= $1 and ${NOT_PAUSED} order by m.id for update skip locked limit $2)
     update rappel.message m set state = 'queued', next_at = $1 from due where m.id = due.id`,
    [now, limit],
  )
  const notices = await touch(
    db,
    `with due as (select m.id from rappel.notice m where m.state = 'held' and m.held_until <= $1 and ${NOT_PAUSED} order by m.id for update skip locked limit $2)
     update rappel.notice n set state = case when n.channel is null then 'sent' else 'queued' end, next_at = $1, finished_at = case when n.channel is null then $1::timestamptz end from due where n.id = due.id`,
    [now, limit],
  )
  if (messages + notices > 0) await db.query(`select pg_notify('rappel_message', '')`)
  return messages + notices
}

const DUE_DIGEST = `m.state = 'held' and m.held_for = 'digest' and m.held_until <= $1 and r.state = 'open' and ${NOT_PAUSED}`

/** An address whose digest is due, taken for this transaction; null where there is none, or another has it. */
export async function takeDigest(db: Queryable, now: Date): Promise<string | null> {
  const row = await maybeOne<{ address: string }>(
    db,
    `select lower(r.address) as address from rappel.message m join rappel.message_recipient r on r.message = m.id where ${DUE_DIGEST} order by m.held_until, m.id, r.position limit 1`,
    [now],
  )
  if (!row) return null
  const { taken } = await one<{ taken: boolean }>(db, 'select pg_try_advisory_xact_lock(hashtextextended($1, 0)) as taken', [`digest ${row.address}`])
  return taken ? row.address : null
}

/** An entry of a digest with the message that it stands for. */
export interface GatheredEntry extends DigestEntry {
  readonly message: number
  readonly run: number | null
  readonly position: number
  readonly name: string | null
  /** How many recipients the message has. */
  readonly recipients: number
}

/** What is gathered for an address by now, oldest first, at most so many. */
export async function gatheredFor(db: Queryable, address: string, now: Date, most: number): Promise<GatheredEntry[]> {
  const rows = await many<{
    row: DigestEntry
    workflow: string | null
    message: number
    run: number | null
    position: number
    name: string | null
    recipients: number
    at: Date
    subject: string
  }>(
    db,
    `select m.digest_row as row, w.name as workflow, m.id as message, m.run, r.position, r.name, m.changed_at as at, m.subject,
            (select count(*)::int from rappel.message_recipient x where x.message = m.id) as recipients
       from rappel.message m join rappel.message_recipient r on r.message = m.id left join rappel.workflow w on w.id = m.workflow
      where ${DUE_DIGEST} and lower(r.address) = $2 order by m.changed_at, m.id limit $3`,
    [now, address, most],
  )
  return rows.map(({ row, workflow, message, run, position, name, recipients }) => ({ ...row, workflow: workflow ?? '', message, run, position, name, recipients }))
}

/** Sends what is gathered as its own mail: itself where it has no other recipient, else a copy to the one. */
export async function sendAlone(db: Queryable, { message, position, recipients }: GatheredEntry, messageId: string, now: Date): Promise<void> {
  if (recipients === 1) await touch(db, `update rappel.message set state = 'queued', next_at = $2 where id = $1`, [message, now])
  else {
    const copy = await one<{ id: number }>(
      db,
      `insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, reply_to, subject, html, body, priority, attachments, next_at, changed_at, created_at, stop_link)
       select run, workflow, action, tbl, rec, $2, sender, reply_to, subject, html, body, priority, attachments, $3, changed_at, $3, null from rappel.message where id = $1 returning id`,
      [message, messageId, now],
    )
    await touch(
      db,
      `insert into rappel.message_recipient (message, position, part, address, name, path) select $2, 1, 'to', address, name, path from rappel.message_recipient where message = $1 and position = $3`,
      [message, copy.id, position],
    )
    await endGathered(db, [{ message, position }], copy.id, now)
  }
  await db.query(`select pg_notify('rappel_message', '')`)
}

/** A digest about to be queued. */
export interface NewDigest extends Pick<RenderedMessage, 'subject' | 'html' | 'text'> {
  readonly messageId: string
  readonly sender: Mailbox
  readonly to: Mailbox
  readonly thread: string
}

/** Queues a digest, found from each run that is in it; what it gathers is done with for its recipient. Answers its id. */
export async function sendDigest(db: Queryable, { messageId, sender, to, subject, html, text, thread }: NewDigest, entries: readonly GatheredEntry[], now: Date): Promise<number> {
  const { id } = await one<{ id: number }>(
    db,
    `insert into rappel.message (action, message_id, sender, subject, html, body, next_at, changed_at, created_at, thread)
     values ('digest', $1, $2, $3, $4, $5, $6, $6, $6, $7) returning id`,
    [messageId, JSON.stringify(sender), subject, html, text, now, thread],
  )
  await touch(db, `insert into rappel.message_recipient (message, position, part, address, name) values ($1, 1, 'to', $2, $3)`, [id, to.address, to.name])
  await touch(db, 'insert into rappel.message_run (message, run) select distinct $1::bigint, x from unnest($2::bigint[]) x on conflict do nothing', [
    id,
    entries.flatMap((e) => e.run ?? []),
  ])
  await endGathered(db, entries, id, now)
  await db.query(`select pg_notify('rappel_message', '')`)
  return id
}

/** Notes the digest that recipients got messages in; a message that nobody waits for any more is done with. */
async function endGathered(db: Queryable, entries: readonly Pick<GatheredEntry, 'message' | 'position'>[], digest: number, now: Date): Promise<void> {
  const given = JSON.stringify(entries.map(({ message, position }) => ({ message, position })))
  await touch(
    db,
    `update rappel.message_recipient r set state = 'gathered', digest = $2 from jsonb_to_recordset($1::jsonb) as g (message bigint, position int) where r.message = g.message and r.position = g.position`,
    [given, digest],
  )
  await touch(
    db,
    `update rappel.message m set state = 'gathered', finished_at = $2 from (select distinct message from jsonb_to_recordset($1::jsonb) as g (message bigint)) g
      where m.id = g.message and m.state = 'held' and not exists (select from rappel.message_recipient r where r.message = m.id and r.state = 'open')`,
    [given, now],
  )
}

/** Mail of a workflow that is held. */
export interface HeldMail {
  readonly workflow: string
  readonly reason: 'quiet' | 'digest' | 'cap'
  readonly until: Date | null
  readonly count: number
  readonly paused: boolean
}

/** What is held now, by workflow, why, and until when; those that a cap stopped first. */
export const listHeld = (db: Queryable): Promise<HeldMail[]> =>
  many<HeldMail>(
    db,
    `select w.name as workflow, m.held_for as reason, m.held_until as until, count(*)::int as count, w.state = 'paused' as paused
       from rappel.message m join rappel.workflow w on w.id = m.workflow where m.state = 'held' group by w.name, w.state, m.held_for, m.held_until order by m.held_until nulls first, w.name limit 50`,
  )

/** How much mail of a workflow is held. */
export async function countHeld(db: Queryable, workflow: number): Promise<number> {
  return (await one<{ held: number }>(db, `select count(*)::int as held from rappel.message where workflow = $1 and state = 'held'`, [workflow])).held
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
