import type { Transporter } from 'nodemailer'
import { encodeWord } from 'nodemailer/lib/mime-funcs'
import { must } from '@/core/must'
import { domainOf } from '@/core/recipients/address'
import { hyphened } from '@/core/values/letters'
import type { ClaimedMessage, OpenRecipient } from '@/store/mail/claim'
import { verdict } from './policy'

/** How the server answered for one recipient. */
export interface RecipientReply {
  readonly position: number
  readonly result: 'sent' | 'refused' | 'deferred'
  readonly reply: string
}

/** How one attempt came out: per recipient, and whether the server was reached at all. */
export interface SendResult {
  readonly reached: boolean
  /** Whether the server may have taken it though it did not say so: another must not be given it at once. */
  readonly inDoubt?: boolean
  readonly reply: string
  readonly recipients: readonly RecipientReply[]
}

interface SmtpError extends Error {
  responseCode?: number
  response?: string
  /** What the client said that was answered so. */
  command?: string
  code?: string
  syscall?: string
  recipient?: string
  rejectedErrors?: SmtpError[]
}

/**
 * The Message-ID that all mail about one record answers to, so that mail programs show it together (RFC 5322 section 3.6.4).
 * No message carries it itself; it only joins those that name it. Mail about no record joins none.
 */
export function threadOf({ tbl, rec, sender, thread }: Pick<ClaimedMessage, 'tbl' | 'rec' | 'sender' | 'thread'>): string | null {
  const domain = domainOf(sender.address)
  if (thread) return `<${thread}@${domain}>`
  return rec === null ? null : `<${tbl}.${rec}.record@${domain}>`
}

/** The contents of files that messages carry, by id. */
export type Contents = ReadonlyMap<number, Buffer>

function attachmentsOf({ attachments }: ClaimedMessage, contents: Contents) {
  return (attachments ?? []).map(({ file, name, type, cid }) => ({
    filename: name,
    contentType: type,
    content: must(contents.get(file)),
    ...(cid ? { cid, contentDisposition: 'inline' as const } : { contentDisposition: 'attachment' as const }),
  }))
}

/** Most characters of a header's word that stands as it is; the whole line may have 998 (RFC 5322 section 2.1.1). */
const MOST_WORD = 700

/** Most characters of a name that goes with an address. */
const MOST_NAME = 200

/** A header's text that can be folded: one with a word longer than a line is written in encoded words (RFC 2047). */
function foldable(text: string): string {
  return text.split(/\s/).some((word) => word.length > MOST_WORD) ? encodeWord(text, 'Q', 52) : text
}

function named({ address, name }: { readonly address: string; readonly name?: string | null }) {
  return { address, name: name ? [...name].slice(0, MOST_NAME).join('') : '' }
}

/** The headers by which a mail program lets its reader say stop: RFC 2369 section 3.2, and in one click where the address is safe (RFC 8058 section 3.1 wants https). */
function stopHeaders(link: string | null | undefined): Record<string, string> {
  if (!link) return {}
  return { 'List-Unsubscribe': `<${link}>`, ...(link.startsWith('https:') ? { 'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click' } : {}) }
}

/** What all mail of one workflow is filed by in mail programs: its `List-Id` (RFC 2919), in the sender's domain. */
function listOf({ workflow, sender }: Pick<ClaimedMessage, 'workflow' | 'sender'>) {
  if (!workflow) return {}
  return { list: { id: { url: `${hyphened(workflow) || 'workflow'}.rappel.${domainOf(sender.address)}`, comment: workflow } } }
}

/** A message as nodemailer composes it: multipart/alternative, `Auto-Submitted: auto-generated` (RFC 3834 section 5), the Message-ID it always had. */
export function composition(message: ClaimedMessage, contents: Contents = new Map()) {
  const part = (name: OpenRecipient['part']) => message.recipients.filter((r) => r.part === name).map(named)
  const thread = threadOf(message)
  return {
    from: named(message.sender),
    ...(message.reply_to ? { replyTo: named(message.reply_to) } : {}),
    to: part('to'),
    cc: part('cc'),
    subject: foldable(message.subject),
    text: message.body,
    html: message.html,
    messageId: message.message_id,
    ...(thread ? { inReplyTo: thread, references: thread } : {}),
    date: new Date(message.created_at),
    priority: message.priority,
    headers: { 'Auto-Submitted': 'auto-generated', ...stopHeaders(message.stop_link) },
    ...listOf(message),
    textEncoding: 'quoted-printable' as const,
    ...(message.attachments?.length ? { attachments: attachmentsOf(message, contents) } : {}),
  }
}

/** Most recipients of one transaction: what every server takes at least (RFC 5321 section 4.5.3.1.8). */
export const MOST_RECIPIENTS = 100

/** How a message is handed over. */
export interface SendOptions {
  /** What its files hold. */
  readonly contents?: Contents
  readonly mostRecipients?: number
  /** The address that reports about it go to; its sender's where it is absent. */
  readonly returnPath?: string
}

/**
 * Hands a message to the server for the recipients that are still open, in as many transactions as their number asks for.
 * Never throws: what went wrong is the result.
 */
export async function send(transport: Transporter, message: ClaimedMessage, by: SendOptions = {}): Promise<SendResult> {
  const { mostRecipients = MOST_RECIPIENTS } = by
  const open = message.recipients.filter((r) => r.state === 'open')
  let whole: SendResult | null = null
  for (let i = 0; i < open.length; i += mostRecipients) {
    const part = await transact(transport, message, open.slice(i, i + mostRecipients), by)
    whole = whole
      ? { ...part, reached: whole.reached && part.reached, inDoubt: whole.reached || part.inDoubt === true, recipients: [...whole.recipients, ...part.recipients] }
      : part
  }
  return whole ?? { reached: true, reply: 'There was nobody left to send to.', recipients: [] }
}

async function transact(transport: Transporter, message: ClaimedMessage, open: readonly OpenRecipient[], { contents, returnPath }: SendOptions): Promise<SendResult> {
  const envelope = { from: returnPath ?? message.sender.address, to: open.map((r) => r.address) }
  try {
    const info = (await transport.sendMail({ ...composition(message, contents), envelope })) as { response: string; rejectedErrors?: SmtpError[] }
    return { reached: true, reply: info.response, recipients: open.map((r) => replyFor(r, info.rejectedErrors, { result: 'sent', reply: info.response })) }
  } catch (error) {
    return failure(error as SmtpError, open)
  }
}

/** The reply of a server that is going away or not taking connections (RFC 5321 section 3.8): it speaks of the server, not of the message. */
const SERVICE_NOT_AVAILABLE = 421

/** The reply to a message that is too large, which is about the message though it comes to MAIL FROM (RFC 1870). */
const TOO_LARGE = 552

/** Whether a server refuses this client rather than this message: its connection, its signing in, or whom it sends for (RFC 5321 section 3.1, RFC 4954). */
function refusesSession({ command = '', code, responseCode }: SmtpError): boolean {
  if (code === 'EAUTH' || /^(CONN|EHLO|HELO|LHLO|STARTTLS|AUTH)/.test(command)) return true
  return command === 'MAIL FROM' && responseCode !== TOO_LARGE
}

function failure(error: SmtpError, open: readonly OpenRecipient[]): SendResult {
  const reply = error.response ?? error.message
  const isSession = refusesSession(error)
  const result = isSession ? 'deferred' : verdict(error.responseCode)
  return {
    inDoubt: error.responseCode === undefined && error.syscall !== 'connect' && error.code !== 'EDNS' && error.code !== 'EAUTH',
    reached: !isSession && error.responseCode !== undefined && error.responseCode !== SERVICE_NOT_AVAILABLE,
    reply,
    recipients: open.map((r) => replyFor(r, error.rejectedErrors, { result, reply })),
  }
}

function replyFor(recipient: OpenRecipient, rejected: readonly SmtpError[] | undefined, otherwise: { result: RecipientReply['result']; reply: string }): RecipientReply {
  const own = rejected?.find((e) => e.recipient === recipient.address)
  if (!own) return { position: recipient.position, ...otherwise }
  return { position: recipient.position, result: verdict(own.responseCode), reply: own.response ?? own.message }
}
