import { readFile, writeFile } from 'node:fs/promises'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo, Server as NetServer, Socket } from 'node:net'
import { join } from 'node:path'
import PostalMime from 'postal-mime'
import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'
import { ChannelBoard } from './channels'
import { type Faults, refusalText } from './faults'
import { handle, type Room } from './http'
import { MailStore } from './mail-store'

export interface PostRoomOptions {
  readonly folder: string
  /** 0 picks a free port. */
  readonly smtpPort: number
  readonly httpPort: number
  /** What whoever writes has to show; anybody may where there is none. */
  readonly token?: string
  /** Tells when messages arrive. */
  readonly clock?: () => Date
}

/** The stand-in for the outside world: an SMTP server that keeps everyone's mail, a channel board, and faults that can be switched on. */
export class PostRoom implements Room {
  faults: Faults = {}

  private constructor(
    readonly store: MailStore,
    readonly channels: ChannelBoard,
    private readonly smtp: SMTPServer,
    private readonly http: Server,
    readonly smtpPort: number,
    readonly httpPort: number,
    private readonly folder: string,
    /** What whoever writes over HTTP has to show, where there is anything. */
    readonly token: string | null,
  ) {}

  /** Switches faults on and off, and keeps them for the next start; closing the room breaks off who is connected. */
  async setFaults(faults: Faults): Promise<void> {
    this.faults = faults
    await this.keepFaults()
    if (faults.down) for (const connection of openConnections(this.smtp)) connection._socket.destroy()
  }

  /** Keeps the faults as they are for the next start. */
  async keepFaults(): Promise<void> {
    await writeFile(join(this.folder, 'faults.json'), JSON.stringify(this.faults))
  }

  /** Opens its store and listens on loopback. @throws Error when a port is busy */
  static async open(options: PostRoomOptions): Promise<PostRoom> {
    const store = await MailStore.open(join(options.folder, 'mail'))
    const channels = await ChannelBoard.open(join(options.folder, 'channels.jsonl'))
    let room: PostRoom | null = null
    const faults = () => room?.faults ?? {}
    const smtp = smtpServer(store, faults, options.clock ?? (() => new Date()))
    const http = createServer((request: IncomingMessage, response: ServerResponse) => {
      handle(room as PostRoom, request, response).catch(() => response.destroy())
    })
    http.on('clientError', (_error, socket) => socket.destroy()) // what cannot be read is not answered
    const smtpPort = await listen(smtp.server, options.smtpPort)
    const httpPort = await listen(http, options.httpPort)
    room = new PostRoom(store, channels, smtp, http, smtpPort, httpPort, options.folder, options.token ?? null)
    room.faults = await readFile(join(options.folder, 'faults.json'), 'utf8').then(
      (text) => JSON.parse(text) as Faults,
      () => ({}),
    )
    return room
  }

  /** Finishes what is under way and closes both ports. */
  async close(): Promise<void> {
    await new Promise<void>((resolve) => this.smtp.close(() => resolve()))
    this.http.closeAllConnections()
    await new Promise<void>((resolve) => this.http.close(() => resolve()))
    await this.channels.close()
    await this.store.close()
  }
}

function listen(server: NetServer, port: number): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', () => resolve((server.address() as AddressInfo).port))
  })
}

const MAX_SIZE = 50 * 1024 * 1024

function refusal(code: number): Error {
  return Object.assign(new Error(refusalText(code)), { responseCode: code })
}

function smtpServer(store: MailStore, faults: () => Faults, clock: () => Date): SMTPServer {
  const server: SMTPServer = new SMTPServer({
    banner: 'post room',
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    hideENHANCEDSTATUSCODES: true,
    hideSMTPUTF8: false,
    size: MAX_SIZE,
    closeTimeout: 1_000,
    logger: false,
    onConnect: (_session, callback) => callback(faults().down ? Object.assign(new Error('4.3.2 the post room is closed'), { responseCode: 421 }) : null),
    onRcptTo: ({ address }, _session, callback) => {
      const { refuse } = faults()
      const code = refuse?.[address.toLowerCase()] ?? refuse?.[address] ?? refuse?.['*']
      callback(code ? refusal(code) : null)
    },
    onData: (stream, session, callback) => {
      keep(stream, session, store, faults(), clock).then(
        (reply) => (reply === null ? drop(server, session) : callback(null, reply)),
        (error: Error) => callback(error),
      )
    },
  })
  server.on('error', () => undefined) // a client that breaks off is its own affair; without a listener it would end the process
  return server
}

function openConnections(server: SMTPServer) {
  return server.connections as unknown as Iterable<{ session: SMTPServerSession; _socket: Socket }>
}

/** Breaks a session's connection off without a reply. */
function drop(server: SMTPServer, session: SMTPServerSession): void {
  for (const connection of openConnections(server)) if (connection.session.id === session.id) connection._socket.destroy()
}

/** Takes a message in; null where the connection was dropped instead of answering. */
async function keep(stream: SMTPServerDataStream, session: SMTPServerSession, store: MailStore, faults: Faults, clock: () => Date): Promise<string | null> {
  const chunks: Buffer[] = []
  for await (const chunk of stream) chunks.push(chunk as Buffer)
  if (stream.sizeExceeded) throw Object.assign(new Error('5.3.4 message too large'), { responseCode: 552 })
  if (faults.delayMs) await new Promise((resolve) => setTimeout(resolve, faults.delayMs))
  const source = Buffer.concat(chunks)
  const from = session.envelope.mailFrom ? session.envelope.mailFrom.address : ''
  const arrival = { at: clock().toISOString(), envelope: { from, to: session.envelope.rcptTo.map((r) => r.address) }, subject: await subjectOf(source) }
  const { id } = await store.add(source, arrival)
  if (faults.dropAfterData && faults.dropAfterData > 0) {
    faults.dropAfterData--
    return null
  }
  return `2.0.0 kept as ${id}`
}

async function subjectOf(source: Buffer): Promise<string> {
  const end = source.indexOf('\r\n\r\n')
  const head = end < 0 ? source : source.subarray(0, end + 4)
  return (await PostalMime.parse(head)).subject ?? ''
}
