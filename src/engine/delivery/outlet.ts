import { createTransport as createNodemailer, type Transporter } from 'nodemailer'
import type { Pool } from 'pg'
import { must } from '@/core/must'
import { openMailServers, SealedElsewhere } from '@/store/access/mail-server'
import { MOST_RECIPIENTS } from './send'
import { asOptions, createTransport, type MailServer, serverOf, serversOf } from './server'
import { Way, type Ways } from './way'

/** Where mail leaves: the server that is fixed for this process, or those that are set in Settings, or, where none is, the one to fall back on. */
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

/** The connections that mail is handed over by; others once other servers are set. Mail under way goes where it was going. */
export class Outlet implements Ways {
  private ways: readonly Way[]
  /** What the current connections were made from. */
  private from: string
  private servers: readonly MailServer[]

  constructor(
    private readonly pool: Pool,
    private readonly setting: OutletSetting,
  ) {
    this.from = setting.fixed ?? setting.fallback
    this.servers = serversOf(this.from)
    this.ways = this.servers.map((server) => this.wayTo(server))
  }

  readonly all = (): readonly Way[] => this.ways

  /** The connection to hand one mail over by now: the first server that is not found away, else the first. */
  readonly transport = (): Transporter => must(this.ways.find((way) => way.isOpen()) ?? this.ways[0]).transport

  /** The server that mail is handed over to first; null where it cannot be talked to. */
  get talksTo(): MailServer | null {
    return this.servers[0] ?? null
  }

  /** Takes up the servers that are set now; whether they are others than before. */
  async refresh(): Promise<boolean> {
    const { fixed, fallback } = this.setting
    if (fixed !== null) return false
    try {
      const set = await openMailServers(this.pool)
      const servers = set.length ? set : [serverOf(fallback)]
      return this.take(set.length ? JSON.stringify(set) : fallback, servers, () => servers.map((server) => this.wayTo(server)))
    } catch (error) {
      if (!(error instanceof SealedElsewhere)) throw error // the database is away: what is there stays
      return this.take(error.message, [], () => [new Way('unreachable', unreachable(error.message))])
    }
  }

  private take(from: string, servers: readonly MailServer[], make: () => readonly Way[]): boolean {
    if (from === this.from) return false
    const before = this.ways
    this.from = from
    this.servers = servers
    this.ways = make()
    for (const way of before) way.transport.close()
    return true
  }

  private wayTo(server: MailServer): Way {
    const { host, port, mostRecipients, perMinute } = server
    return new Way(`${host}:${port}`, createTransport(server, this.setting.connections), { mostRecipients: mostRecipients ?? MOST_RECIPIENTS, perMinute: perMinute ?? null })
  }

  close(): void {
    for (const way of this.ways) way.transport.close()
  }
}
