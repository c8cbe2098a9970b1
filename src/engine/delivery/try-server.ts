import { randomUUID } from 'node:crypto'
import { faultOf } from '@/core/must'
import { domainOf } from '@/core/recipients/address'
import { createTalkative, type MailServer } from './server'

/** A line of what a mail server and Rappel said to each other. */
export interface Said {
  readonly by: 'server' | 'Rappel'
  readonly line: string
}

/** What came of a mail that was sent to try a server: whether it took it, its last words, and all that was said. */
export interface Tried {
  readonly accepted: boolean
  readonly reply: string
  readonly said: readonly Said[]
}

/** Who the mail is from and to, and what it says. */
export interface TryMail {
  readonly from: { readonly name: string; readonly address: string }
  readonly to: string
  readonly subject: string
  readonly text: string
}

const PATIENCE_MS = 15_000

/** Most lines of a talk that are shown, and most characters of one. */
const MOST_LINES = 80
const MOST_LINE = 500

/** Sends one mail by a server, at once, outside the queue, and tells what both said; the password is in none of it. Never throws. */
export async function tryServer(server: MailServer, mail: TryMail): Promise<Tried> {
  const said: Said[] = []
  const transport = createTalkative(server, PATIENCE_MS, (by, line) => {
    if (said.length < MOST_LINES) said.push({ by, line: line.slice(0, MOST_LINE) })
  })
  try {
    const info: { response?: string } = await transport.sendMail({
      ...mail,
      messageId: `<try.${randomUUID()}@${domainOf(mail.from.address)}>`,
      headers: { 'Auto-Submitted': 'auto-generated' },
      textEncoding: 'quoted-printable',
    })
    return { accepted: true, reply: info.response ?? '', said }
  } catch (error) {
    const reply = typeof error === 'object' && error !== null && 'response' in error ? String(error.response) : null
    return { accepted: false, reply: reply ?? `${faultOf(error)}.`.replace(/\.\.$/, '.'), said }
  } finally {
    transport.close()
  }
}
