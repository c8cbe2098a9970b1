import PostalMime, { type Attachment } from 'postal-mime'
import type { Bounce } from '@/store/bounces'
import { keptReply } from '../delivery/reply'
import { bytesOf } from '../mail-html'

/** A report of delivery: what it says of each recipient, and the message that it is about where it returns that. */
export interface Report {
  readonly kind: 'report'
  readonly bounces: readonly Bounce[]
  readonly messageId: string | null
  /** The addresses that the report itself went to. */
  readonly to: readonly string[]
}

/** Mail that is none: an answer by a machine (RFC 3834), or a person's. */
export interface NoReport {
  readonly kind: 'automatic' | 'other'
}

const MOST_NESTED = 10
const MOST_HEADERS = 100_000

/** Most bytes of a mail that are read: what it says of its recipients, and the header of what came back, stand before what is large. */
const MOST_READ = 1_000_000

/** Most bytes of a part that is read, and most recipients that one report may speak of. */
const MOST_PART = 200_000
const MOST_RECIPIENTS = 100

const MOST_DIAGNOSTIC = 500

const textOf = (part: Attachment) => Buffer.from(bytesOf(part)).subarray(0, MOST_PART).toString('utf8')

/** Reads mail that came back: a report of delivery (RFC 3464 in RFC 6522), or none. Never throws. */
export async function readReport(source: Buffer): Promise<Report | NoReport> {
  const mail = await PostalMime.parse(source.subarray(0, MOST_READ), { maxNestingDepth: MOST_NESTED, maxHeadersSize: MOST_HEADERS, forceRfc822Attachments: true }).catch(() => null)
  if (!mail) return { kind: 'other' }
  const header = (name: string) => mail.headers.find((h) => h.key === name)?.value ?? ''
  const status = mail.attachments.find((a) => a.mimeType === 'message/delivery-status' || a.mimeType === 'message/global-delivery-status')
  if (!status || !/multipart\/report/i.test(header('content-type')))
    return { kind: /^auto-/i.test(header('auto-submitted')) || /^(bulk|junk|list|auto_reply)$/i.test(header('precedence')) ? 'automatic' : 'other' }
  const returned = mail.attachments.find((a) => /^(message\/(rfc822|global|rfc822-headers|global-headers)|text\/rfc822-headers)$/.test(a.mimeType))
  const messageId = returned ? /^message-id:\s*(<[^<>\s\p{Cc}]{1,500}>)/imu.exec(unfolded(textOf(returned)))?.[1] : undefined
  const to = ['delivered-to', 'x-original-to', 'to', 'envelope-to'].flatMap((name) =>
    mail.headers.filter((h) => h.key === name).flatMap((h) => h.value.match(/[^\s<>,;"]+@[^\s<>,;"]+/g) ?? []),
  )
  return { kind: 'report', bounces: bouncesOf(textOf(status)), messageId: messageId ?? null, to }
}

/** Header fields with their continuation lines joined (RFC 5322 section 2.2.3). */
const unfolded = (text: string) => text.replaceAll('\r\n', '\n').replaceAll(/\n[ \t]+/g, ' ')

/** What the groups of fields of a report say, but for the first, which is about the message (RFC 3464 section 2.1). Relayed, delivered and expanded are no bounces. */
function bouncesOf(text: string): Bounce[] {
  const groups = unfolded(text).split(/\n[ \t]*\n/)
  return groups.slice(0, MOST_RECIPIENTS + 1).flatMap((group) => {
    const fields = new Map<string, string>()
    for (const line of group.split('\n')) {
      const colon = line.indexOf(':')
      if (colon > 0) fields.set(line.slice(0, colon).trim().toLowerCase(), line.slice(colon + 1).trim())
    }
    const address = typed(fields.get('original-recipient')) ?? typed(fields.get('final-recipient'))
    const action = fields.get('action')?.toLowerCase()
    if (!address || (action !== 'failed' && action !== 'delayed')) return []
    const status = /\b[245]\.\d{1,3}\.\d{1,3}\b/.exec(fields.get('status') ?? '')?.[0] ?? (action === 'failed' ? '5.0.0' : '4.0.0')
    return [{ address, action, status, diagnostic: keptReply(typed(fields.get('diagnostic-code')) ?? '').slice(0, MOST_DIAGNOSTIC) }]
  })
}

/** What stands after the type of a field such as `rfc822; a@x.example` (RFC 3464 section 2.1.2); null where there is nothing. */
function typed(field: string | undefined): string | null {
  const value = field?.slice(field.indexOf(';') + 1).trim()
  return value ? value.replace(/^<(.*)>$/, '$1') : null
}
