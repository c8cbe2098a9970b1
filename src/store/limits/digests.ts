import type { DigestEntry } from '@/core/limits/digest-mail'
import type { Mailbox } from '@/core/workflow/plan'
import { many, one, type Queryable, touch } from '../database'
import { type OwnMail, queueOwn } from '../mail/own'

/** How many due messages are looked at for the addresses that are next. */
const LOOKED_AT = 5_000

/** Addresses whose digests are due, the oldest first, taken for this transaction; those that another has are left out. */
export async function takeDigests(db: Queryable, now: Date, limit: number): Promise<string[]> {
  const rows = await many<{ address: string }>(
    db,
    `with due as materialized (
       select m.id, m.held_until from rappel.workflow w cross join lateral (
         select m.id, m.held_until from rappel.message m where m.workflow = w.id and m.state = 'held' and m.held_for = 'digest' and m.held_until <= $1 order by m.held_until, m.id limit $3) m
        where w.state <> 'paused' order by m.held_until, m.id limit $3),
     next as materialized (
       select rappel.folded(r.address) as address from due join rappel.message_recipient r on r.message = due.id where r.state = 'open' group by 1 order by min(due.held_until), min(due.id) limit $2)
     select address from next where pg_try_advisory_xact_lock(hashtextextended('digest ' || address, 0)) limit $4`,
    [now, limit * 4, LOOKED_AT, limit],
  )
  return rows.map((r) => r.address)
}

/** An entry of a digest with the message that it stands for. */
export interface GatheredEntry extends DigestEntry {
  /** In small letters. */
  readonly address: string
  readonly message: number
  readonly run: number | null
  readonly position: number
  readonly name: string | null
  /** How many recipients the message has. */
  readonly recipients: number
}

/**
 * What is gathered for addresses by now, oldest first for each, at most `each` for one and so many in all; an address for which there is no more room is left out.
 * `min(id + 0)` keeps the planner from looking for the oldest along all messages there are. It is locked, so that of two digests with a message in both the later one knows that it is done with.
 */
export async function gatheredFor(db: Queryable, addresses: readonly string[], now: Date, each: number, most: number): Promise<Map<string, GatheredEntry[]>> {
  const rows = await many<Omit<GatheredEntry, keyof DigestEntry> & { row: DigestEntry; workflow: string }>(
    db,
    `with oldest as materialized (
       select min(x.id) as id from rappel.workflow w cross join lateral (
         select min(m.id + 0) as id from rappel.message m where m.workflow = w.id and m.state = 'held' and m.held_for = 'digest' and m.held_until <= $1) x where w.state <> 'paused')
     select a.address, e.* from unnest($2::text[]) with ordinality a (address, place) cross join lateral (
       select m.digest_row as row, w.name as workflow, m.id as message, m.run, r.position, r.name,
              (select count(*)::int from rappel.message_recipient x where x.message = m.id) as recipients
         from rappel.message_recipient r join rappel.message m on m.id = r.message join rappel.workflow w on w.id = m.workflow
        where rappel.folded(r.address) = a.address and r.message >= (select id from oldest) and r.state = 'open'
          and m.state = 'held' and m.held_for = 'digest' and m.held_until <= $1 and w.state <> 'paused'
        order by m.changed_at, m.id limit $3) e
      order by a.place limit $4`,
    [now, addresses, each, most],
  )
  const found = new Map<string, GatheredEntry[]>()
  for (const { row, workflow, ...entry } of rows) {
    const own = found.get(entry.address) ?? []
    if (own.length === 0) found.set(entry.address, own)
    own.push({ ...row, workflow, ...entry })
  }
  const last = rows.at(-1)?.address
  if (rows.length === most && last !== undefined && found.size > 1) found.delete(last) // there may be more for it
  const shared = [...new Set([...found.values()].flat().flatMap((e) => (e.recipients > 1 ? [e.message] : [])))]
  if (shared.length) await db.query('select from rappel.message where id = any($1::bigint[]) order by id for update', [shared])
  return found
}

/** Sends what is gathered alone as its own mail: itself where it has no other recipient, else a copy to the one. */
export async function sendAlone(db: Queryable, entries: readonly GatheredEntry[], messageId: () => string, now: Date): Promise<void> {
  const whole = entries.filter((e) => e.recipients === 1).map((e) => e.message)
  if (whole.length) await touch(db, `update rappel.message set state = 'queued', next_at = $2 where id = any($1::bigint[])`, [whole, now])
  for (const { message, position } of entries.filter((e) => e.recipients > 1)) {
    const copy = await one<{ id: number }>(
      db,
      `insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, reply_to, subject, html, body, priority, attachments, next_at, changed_at, created_at, stop_link)
       select run, workflow, action, tbl, rec, $2, sender, reply_to, subject, html, body, priority, attachments, $3, changed_at, $3, null from rappel.message where id = $1 returning id`,
      [message, messageId(), now],
    )
    await touch(
      db,
      `insert into rappel.message_recipient (message, position, part, address, name, path) select $2, 1, 'to', address, name, path from rappel.message_recipient where message = $1 and position = $3`,
      [message, copy.id, position],
    )
    await endGathered(db, [{ message, position, digest: copy.id }], now)
  }
}

/** A digest about to be queued, with what it gathers. */
export interface NewDigest extends OwnMail {
  readonly entries: readonly GatheredEntry[]
}

/** Queues digests, found from each run that is in them; what they gather is done with for their recipients. */
export async function sendDigests(db: Queryable, digests: readonly NewDigest[], sender: Mailbox, now: Date): Promise<void> {
  if (digests.length === 0) return
  const ids = await queueOwn(db, 'digest', digests, sender, now)
  const ended = digests.flatMap(({ messageId, entries }) => entries.map((e) => ({ message: e.message, position: e.position, run: e.run, digest: ids.get(messageId) ?? 0 })))
  await touch(
    db,
    `insert into rappel.message_run (message, run) select distinct g.digest, g.run from jsonb_to_recordset($1::jsonb) as g (digest bigint, run bigint) where g.run is not null on conflict do nothing`,
    [JSON.stringify(ended)],
  )
  await endGathered(db, ended, now)
}

/** Notes the digest that recipients got messages in; a message that nobody waits for any more is done with. */
async function endGathered(db: Queryable, entries: readonly { readonly message: number; readonly position: number; readonly digest: number }[], now: Date): Promise<void> {
  const given = JSON.stringify(entries)
  await touch(
    db,
    `update rappel.message_recipient r set state = 'gathered', digest = g.digest from jsonb_to_recordset($1::jsonb) as g (message bigint, position int, digest bigint)
      where r.message = g.message and r.position = g.position`,
    [given],
  )
  await touch(
    db,
    `update rappel.message m set state = 'gathered', finished_at = $2 from (select distinct message from jsonb_to_recordset($1::jsonb) as g (message bigint)) g
      where m.id = g.message and m.state = 'held' and not exists (select from rappel.message_recipient r where r.message = m.id and r.state = 'open')`,
    [given, now],
  )
}
