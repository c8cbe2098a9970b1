import type { RecordId } from '@/core/values/tables'
import type { Attachment, Mailbox } from '@/core/workflow/plan'

/** What a message says, and about which record where it is about one, from the moment it is queued until it is sent. */
export interface MessageContent {
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
