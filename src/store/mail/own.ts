import type { RenderedMessage } from '@/core/message/render'
import type { Mailbox } from '@/core/workflow/plan'
import { many, type Queryable } from '../database'

/** Mail that is of no one run, to one recipient each. */
export interface OwnMail extends Pick<RenderedMessage, 'subject' | 'html' | 'text'> {
  readonly messageId: string
  readonly to: Mailbox
  /** What mail of the same thread is known by; null where it is of none. */
  readonly thread: string | null
}

/** Queues mail of Rappel's own: digests, and word of what is wrong. The messages' ids by their Message-IDs. */
export async function queueOwn(db: Queryable, kind: 'digest' | 'trouble', mail: readonly OwnMail[], sender: Mailbox, now: Date): Promise<Map<string, number>> {
  const given = mail.map(({ messageId, to, subject, html, text, thread }) => ({ message_id: messageId, address: to.address, name: to.name, subject, html, body: text, thread }))
  const made = await many<{ id: number; message_id: string }>(
    db,
    `with given as (select * from jsonb_to_recordset($1::jsonb) as g (message_id text, address text, name text, subject text, html text, body text, thread text)),
          made as (insert into rappel.message (action, message_id, sender, subject, html, body, next_at, changed_at, created_at, thread)
                   select $4, message_id, $2, subject, html, body, $3, $3, $3, thread from given returning id, message_id),
          addressed as (insert into rappel.message_recipient (message, position, part, address, name) select made.id, 1, 'to', g.address, g.name from made join given g using (message_id))
     select id, message_id from made`,
    [JSON.stringify(given), JSON.stringify(sender), now, kind],
  )
  return new Map(made.map((m) => [m.message_id, m.id]))
}
