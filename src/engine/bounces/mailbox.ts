import { isVerified } from '../delivery/server'
import { type Take, takeMail } from './take'

/** Most bytes of a mail that is read; of larger ones the beginning, in which a report stands. */
const MOST_BYTES = 2_000_000

/** How a mailbox is reached. */
export interface Mailbox {
  readonly host: string
  readonly port: number
  readonly secure: boolean
  readonly user: string
  readonly password: string
  readonly folder: string
}

/** Reads what is unread in a mailbox (IMAP, RFC 9051) and marks it read once it is kept; how many mails there were. @throws Error where the mailbox cannot be reached */
export async function readMailbox(take: Take, { host, port, secure, user, password, folder }: Mailbox): Promise<number> {
  const { ImapFlow } = await import('imapflow') // few have a mailbox for bounces
  const client = new ImapFlow({
    host,
    port,
    secure,
    auth: { user, pass: password },
    logger: false,
    tls: { rejectUnauthorized: isVerified(host) },
    disableAutoIdle: true,
    connectionTimeout: 20_000,
    greetingTimeout: 20_000,
    socketTimeout: 60_000,
  })
  client.on('error', () => undefined) // the call under way fails with it
  await client.connect()
  try {
    const lock = await client.getMailboxLock(folder)
    try {
      const unread = (await client.search({ seen: false }, { uid: true })) || []
      for (const uid of unread) {
        const mail = await client.fetchOne(String(uid), { source: { maxLength: MOST_BYTES } }, { uid: true })
        const source = mail && 'source' in mail ? mail.source : undefined
        if (source) await takeMail(take, source)
        await client.messageFlagsAdd(String(uid), ['\\Seen'], { uid: true })
      }
      return unread.length
    } finally {
      lock.release()
    }
  } finally {
    await client.logout().catch(() => client.close())
  }
}
