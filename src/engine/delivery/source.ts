import { createTransport } from 'nodemailer'
import type { MessageDetail } from '@/store/messages'
import { type Contents, composition } from './send'
import { serialiseAtOnce } from './serialise'

/** The RFC 5322 source of a message as it is handed to the mail server; `contents` are those of its attachments. */
export async function composeSource(message: MessageDetail, contents?: Contents): Promise<Buffer> {
  const recipients = message.recipients.map((r, position) => ({ position, part: r.part as 'to' | 'cc' | 'bcc', address: r.address, name: r.name, state: 'open' as const }))
  const composed = composition({ ...message, tbl: message.table, rec: message.record, sender: message.from, recipients }, contents)
  const { message: source } = await serialiseAtOnce(createTransport({ streamTransport: true, buffer: true, newline: 'windows' })).sendMail(composed)
  return source as Buffer
}
