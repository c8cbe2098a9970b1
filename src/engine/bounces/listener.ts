import { SMTPServer } from 'smtp-server'
import { messageOf } from './return-path'
import { type Take, takeMail } from './take'

/** Most bytes of a mail that comes back, connections at once, and how long one may say nothing. */
const MOST_BYTES = 2_000_000
const MOST_CONNECTIONS = 20
const PATIENCE_MS = 60_000

const refusal = (code: number, words: string) => Object.assign(new Error(words), { responseCode: code })

/**
 * Listens for mail that comes back (SMTP, RFC 5321), to addresses of ours alone; it relays nothing. A mail is answered once it is kept: where the database is away the other server
 * tries again. Answers how to stop. @throws Error where the port is taken
 */
export async function listenForBounces(take: Take, host: string, port: number): Promise<() => Promise<void>> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: MOST_BYTES,
    maxClients: MOST_CONNECTIONS,
    socketTimeout: PATIENCE_MS,
    logger: false,
    banner: 'for mail that comes back',
    onRcptTo({ address }, _session, done) {
      const isOurs = take.address !== null && (address.toLowerCase() === take.address.toLowerCase() || messageOf(address, take.address, take.secret()) !== null)
      done(isOurs ? null : refusal(550, '5.1.1 no such mailbox'))
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = []
      let size = 0
      stream.on('data', (chunk: Buffer) => {
        size += chunk.length
        if (size <= MOST_BYTES) chunks.push(chunk)
      })
      stream.on('end', () => {
        if (size > MOST_BYTES) return done(refusal(552, '5.3.4 too large'))
        const to = session.envelope.rcptTo.map((r) => r.address)
        takeMail(take, Buffer.concat(chunks), to).then(
          () => done(null),
          () => done(refusal(451, '4.3.0 not now, try again')),
        )
      })
    },
  })
  server.on('error', () => undefined) // one connection's fault
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject)
    server.listen(port, host, () => resolve())
  })
  return () => new Promise((resolve) => server.close(() => resolve()))
}
