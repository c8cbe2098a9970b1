import type { DigestRow } from '@/core/limits/digest-mail'
import type { PlannedRecipient } from '@/core/workflow/plan'
import { type Queryable, touchPrepared } from '../database'
import type { MessageContent } from './content'
import { putBehind } from './order'

/** A message about to be queued. */
export interface NewMessage extends MessageContent {
  readonly run: number
  readonly workflow: number
  readonly action: string
  readonly changed_at: Date
  /** The trace of the save that it tells of (W3C Trace Context). */
  readonly trace?: string | null
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
  await putBehind(db, messages)
}

async function queueSome(db: Queryable, messages: readonly NewMessage[]): Promise<void> {
  await touchPrepared(
    db,
    'queue messages',
    `with given as (
       select * from jsonb_to_recordset($1::jsonb) as m (run bigint, workflow bigint, action text, tbl text, rec jsonb, message_id text, sender jsonb,
              reply_to jsonb, subject text, html text, body text, priority text, attachments jsonb, changed_at timestamptz, created_at timestamptz, held_for text, held_until timestamptz,
              digest_row jsonb, stop_link text, trace text, recipients jsonb)),
     queued as (
       insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, reply_to, subject, html, body, priority, attachments, next_at, changed_at, created_at, state, held_for, held_until, digest_row, trace, stop_link)
       select run, workflow, action, tbl, nullif(rec, 'null'), message_id, sender, nullif(reply_to, 'null'), subject, html, body, priority, nullif(attachments, 'null'), created_at, changed_at, created_at,
              case when held_for is null then 'queued' else 'held' end, held_for, held_until, nullif(digest_row, 'null'), trace,
              case when stop_link is not null and not exists (select from rappel.person p where rappel.folded(p.email) = rappel.folded(recipients -> 0 ->> 'address')) then stop_link end from given
       returning id, message_id),
     told as (select pg_notify('rappel_message', ''))
     insert into rappel.message_recipient (message, position, part, address, name, path)
     select q.id, r.position, r.value ->> 'part', r.value ->> 'address', r.value ->> 'name', r.value ->> 'path'
       from given g join queued q using (message_id) cross join lateral jsonb_array_elements(g.recipients) with ordinality as r (value, position) cross join told`,
    [JSON.stringify(messages)],
  )
}
