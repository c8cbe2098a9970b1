import { createTalkative, type MailServer, serverOf } from './server'

const PATIENCE_MS = 10_000

/** The most bytes of a message that a mail server says it takes, in its answer to EHLO (RFC 1870, section 5); null where it does not say. @throws Error where it cannot be talked to */
export async function offeredSize(server: MailServer | string): Promise<number | null> {
  let size: number | null = null
  const hear = ({ tnx }: { tnx?: string }, text: unknown, ...rest: unknown[]) => {
    if (tnx !== 'server') return
    for (const [, bytes] of [text, ...rest].join('\n').matchAll(/^250[ -]SIZE (\d{1,15})\s*$/gim)) size = Number(bytes) || null
  }
  const deaf = () => undefined
  const transport = createTalkative(typeof server === 'string' ? serverOf(server) : server, PATIENCE_MS, {
    level: deaf,
    trace: hear,
    debug: hear,
    info: deaf,
    warn: deaf,
    error: deaf,
    fatal: deaf,
  })
  try {
    await transport.verify()
    return size
  } finally {
    transport.close()
  }
}
