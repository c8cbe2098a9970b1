import { createTalkative, type MailServer, serverOf } from './server'

const PATIENCE_MS = 10_000

/** The most bytes of a message that a mail server says it takes, in its answer to EHLO (RFC 1870, section 5); null where it does not say. @throws Error where it cannot be talked to */
export async function offeredSize(server: MailServer | string): Promise<number | null> {
  let size: number | null = null
  const transport = createTalkative(typeof server === 'string' ? serverOf(server) : server, PATIENCE_MS, (by, line) => {
    const bytes = by === 'server' && /^250[ -]SIZE (\d{1,15})\s*$/i.exec(line)?.[1]
    if (bytes) size = Number(bytes) || null
  })
  try {
    await transport.verify()
    return size
  } finally {
    transport.close()
  }
}
