import type { MessageRow } from '@/store/messages'
import type { Actor } from './actor'

/** A message as somebody may see it: who got it in Bcc is the sender's side's to know, and for each of those themselves. */
export function seenBy<M extends Pick<MessageRow, 'recipients'>>({ role, email }: Pick<Actor, 'role' | 'email'>, message: M): M {
  if (role !== 'member') return message
  return { ...message, recipients: message.recipients.filter((r) => r.part !== 'bcc' || r.address.toLowerCase() === email?.toLowerCase()) }
}
