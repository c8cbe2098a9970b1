import type { Workflow } from '@/core/document/document'
import type { RecordId } from '@/core/values/tables'
import type { Attachment, Mailbox } from '@/core/workflow/plan'
import { many, maybeOne, type Queryable } from './database'
import { keyJson } from './keys'
import type { Trace } from './runs'

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
      where ($1::text is null or exists (select from rappel.message_recipient r where r.message = m.id and rappel.folded(r.address) = rappel.folded($1)))
        and ($2::text is null or m.state = $2) and ($3::text is null or w.name = $3) and ($4::bigint is null or m.id = any (array (select x.message from rappel.run_message x where x.run = $4)))
        and ($5::text is null or m.tbl = $5) and ($6::jsonb is null or m.rec = $6) and ($7::bigint is null or m.id < $7)
        and ($8::text is null or rappel.folded(m.subject) like rappel.folded($8) or exists (select from rappel.message_recipient r where r.message = m.id and rappel.folded(r.address) like rappel.folded($8)))
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
  /** What came back of it after a server had taken it. */
  readonly bounces: { address: string; action: 'failed' | 'delayed'; status: string; diagnostic: string; at: string }[]
  readonly attempts: { attempt: number; at: string; milliseconds: number; outcome: string; reply: string }[]
}

/** One message with its text and its attempts, or null. */
export function readMessage(db: Queryable, id: number): Promise<MessageDetail | null> {
  return maybeOne<MessageDetail>(
    db,
    `${SELECT}, m.reply_to, m.html, m.body, m.priority, m.attachments, m.thread, m.stop_link,
       coalesce((select jsonb_agg(to_jsonb(a.*) - 'message' order by a.attempt) from rappel.delivery_attempt a where a.message = m.id), '[]') as attempts,
       coalesce((select jsonb_agg(to_jsonb(b.*) - 'message' - 'id' order by b.id) from rappel.bounce b where b.message = m.id), '[]') as bounces
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
                                                 'inside', exists (select from rappel.person p where rappel.folded(p.email) = rappel.folded(x.address) and p.active)) order by x.position)
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
