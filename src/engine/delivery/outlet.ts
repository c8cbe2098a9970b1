import { createTransport as createNodemailer, type Transporter } from 'nodemailer'
import type { Pool } from 'pg'
import { openMailServer, SealedElsewhere } from '@/store/access/mail-server'
import { asOptions, createTransport, type MailServer } from './server'

/** Where mail leaves: the server that is fixed for this process, or the one that is set in Settings, or, where none is, the one to fall back on. */
export interface OutletSetting {
  readonly fixed: string | null
  readonly fallback: string
  readonly connections: number
}

/** A server that cannot be talked to, and why: whatever is given to it waits. */
function unreachable(why: string): Transporter {
  const fail = (done: (error: Error) => void) => done(new Error(why))
  return createNodemailer(
    asOptions({
      name: 'unreachable',
      version: '1',
      send: (_mail: unknown, done: (error: Error) => void) => fail(done),
      verify: (done: (error: Error) => void) => fail(done),
    }),
  )
}

/** The connection that mail is handed over by; another once another server is set. Mail under way goes where it was going. */
export class Outlet {
  private current: Transporter
  /** What the current connection was made from. */
  private from: string
  private server: MailServer | string | null

  constructor(
    private readonly pool: Pool,
    private readonly setting: OutletSetting,
  ) {
    this.from = setting.fixed ?? setting.fallback
    this.server = this.from
    this.current = createTransport(this.from, setting.connections)
  }

  /** The connection to hand mail over by now. */
  readonly transport = (): Transporter => this.current

  /** The server that mail is handed over to now; null where it cannot be talked to. */
  get talksTo(): MailServer | string | null {
    return this.server
  }

  /** Takes up the server that is set now; whether it is another than before. */
  async refresh(): Promise<boolean> {
    const { fixed, fallback, connections } = this.setting
    if (fixed !== null) return false
    const read = await openMailServer(this.pool).then(
      (server) => ({ from: server ? JSON.stringify(server) : fallback, server: server ?? fallback, make: () => createTransport(server ?? fallback, connections) }),
      (error: unknown) => {
        if (error instanceof SealedElsewhere) return { from: error.message, server: null, make: () => unreachable(error.message) }
        throw error // the database is away: what is there stays
      },
    )
    if (read.from === this.from) return false
    const before = this.current
    this.from = read.from
    this.server = read.server
    this.current = read.make()
    before.close()
    return true
  }

  close(): void {
    this.current.close()
  }
}
