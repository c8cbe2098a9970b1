import { openSync, writeSync } from 'node:fs'
import { createServer as createWeb } from 'node:http'
import { createServer, type Socket } from 'node:net'

/**
 * A mail server and a channel that misbehave, in a process of its own, which can be killed: what they have taken in full stands in its journal before they answer. A line of it: when, and of mail the
 * Message-ID, the address, and the code it was refused with, if it was; of a notice its event's id. Faults come over IPC; each strikes with a chance at its stage.
 */
export const FAULTS = [
  'none',
  '421 at greeting',
  '421 at MAIL',
  '450',
  '451',
  '452',
  '550',
  '552',
  'stall at greeting',
  'stall at MAIL',
  'stall at RCPT',
  'stall at DATA',
  'stall at the end',
  'drop before the end',
  'drop after the end',
  'TLS broken',
  'slow',
  'channel errs',
  'channel stalls',
  'channel drops before it took',
  'channel drops after it took',
] as const
export type Fault = (typeof FAULTS)[number]

export interface FaultNow {
  readonly fault: Fault
  /** How often it strikes, from 0 to 1. */
  readonly chance: number
}

/** How long a stall lasts; half of them end the connection then. */
const STALL_MS = 8_000
const SLOW_MS = 150

let now: FaultNow = { fault: 'none', chance: 0 }
const strikes = (fault: Fault) => now.fault === fault && Math.random() < now.chance
const pause = (milliseconds: number) => new Promise<void>((resolve) => setTimeout(resolve, milliseconds))

class Session {
  private buffer = ''
  private inData = false
  private to: string[] = []
  private busy = Promise.resolve()

  constructor(
    private readonly socket: Socket,
    private readonly journal: (line: object) => void,
  ) {
    socket.setEncoding('latin1')
    socket.on('error', () => undefined)
    socket.on('data', (text: string) => {
      this.buffer += text
      this.busy = this.busy
        .then(() => this.read())
        .catch(() => {
          socket.destroy()
        })
    })
    this.busy = this.busy.then(() => this.greet())
  }

  private say(line: string): void {
    if (!this.socket.destroyed) this.socket.write(`${line}\r\n`)
  }

  private async greet(): Promise<void> {
    if (strikes('stall at greeting')) await pause(STALL_MS)
    if (!strikes('421 at greeting')) return this.say('220 sink ESMTP')
    this.say('421 4.3.2 not now')
    this.socket.end()
  }

  private async read(): Promise<void> {
    for (;;) {
      if (this.socket.destroyed) return
      const end = this.buffer.indexOf(this.inData ? '\r\n.\r\n' : '\r\n')
      if (end < 0) return
      const text = this.buffer.slice(0, end)
      this.buffer = this.buffer.slice(end + (this.inData ? 5 : 2))
      if (this.inData) await this.take(text)
      else await this.obey(text)
    }
  }

  private async obey(line: string): Promise<void> {
    const verb = line.slice(0, 4).toUpperCase()
    if (now.fault === 'slow') await pause(SLOW_MS * now.chance)
    if (verb === 'EHLO') return this.say(now.fault === 'TLS broken' && Math.random() < now.chance ? '250-sink\r\n250 STARTTLS' : '250-sink\r\n250-8BITMIME\r\n250 SMTPUTF8')
    if (verb === 'STAR') {
      this.say('220 go ahead')
      this.socket.end(Buffer.from('this is no TLS'))
      return
    }
    if (verb === 'MAIL') {
      if (strikes('stall at MAIL')) await pause(STALL_MS)
      this.to = []
      if (!strikes('421 at MAIL')) return this.say('250 2.1.0 ok')
      this.say('421 4.3.2 going away')
      this.socket.end()
      return
    }
    if (verb === 'RCPT') return this.recipient(/<([^>]*)>/.exec(line)?.[1] ?? '')
    if (verb === 'DATA') {
      if (strikes('stall at DATA')) await pause(STALL_MS)
      this.inData = this.to.length > 0
      return this.say(this.inData ? '354 go on' : '503 5.5.1 no recipients')
    }
    if (verb === 'QUIT') {
      this.say('221 bye')
      this.socket.end()
      return
    }
    this.say(verb === 'RSET' || verb === 'NOOP' ? '250 ok' : '502 5.5.2 no')
  }

  private async recipient(address: string): Promise<void> {
    if (strikes('stall at RCPT')) await pause(STALL_MS)
    const code = (['450', '451', '452', '550', '552'] as const).find((c) => strikes(c))
    if (code) {
      this.journal({ address, code: Number(code) })
      return this.say(code === '550' ? '550 5.7.1 refused by policy' : code === '552' ? '552 5.2.2 mailbox full' : `${code} 4.3.0 later`)
    }
    this.to.push(address)
    this.say('250 2.1.5 ok')
  }

  private async take(text: string): Promise<void> {
    this.inData = false
    if (strikes('drop before the end')) return void this.socket.destroy()
    if (strikes('stall at the end')) await pause(STALL_MS)
    const id = /^message-id:\s*(<[^>]+>)/im.exec(text)?.[1] ?? ''
    for (const address of this.to) this.journal({ id, address })
    if (strikes('drop after the end')) return void this.socket.destroy()
    this.say('250 2.0.0 taken')
  }
}

/** How long the channel answers nothing where it stalls: longer than anybody waits. */
const CHANNEL_STALL_MS = 12_000

/** A channel that takes events (CloudEvents, structured mode). */
function board(journal: (line: object) => void) {
  return createWeb(async (request, response) => {
    let body = ''
    for await (const chunk of request) body += chunk
    if (strikes('channel errs')) return void response.writeHead(Math.random() < 0.5 ? 503 : 429).end()
    if (strikes('channel drops before it took')) return void request.socket.destroy()
    if (strikes('channel stalls')) await pause(CHANNEL_STALL_MS)
    journal({ event: JSON.parse(body).id })
    if (strikes('channel drops after it took')) return void request.socket.destroy()
    response.writeHead(204).end()
  })
}

/** Listens until it is killed. */
export function runSink(port: number, boardPort: number, journalPath: string): void {
  const file = openSync(journalPath, 'a')
  const journal = (line: object) => writeSync(file, `${JSON.stringify({ at: Date.now(), ...line })}\n`)
  process.on('message', (given: FaultNow) => {
    now = given
  })
  process.on('disconnect', () => process.exit(0))
  board(journal).listen(boardPort, '127.0.0.1', () => {
    createServer((socket) => void new Session(socket, journal)).listen(port, '127.0.0.1', () => process.send?.('ready'))
  })
}
