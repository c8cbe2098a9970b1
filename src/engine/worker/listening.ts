import { hostname } from 'node:os'
import { setTimeout as pause } from 'node:timers/promises'
import type pg from 'pg'
import type { Logger } from 'pino'
import { createClient } from '@/store/database'
import { keepWorker, type Led, lead, registerWorker } from '@/store/workers'
import { AFTER_ERROR_MS } from './loops'
import type { WorkerPart } from './options'

export interface ListeningOptions {
  readonly databaseUrl: string
  readonly parts: readonly WorkerPart[]
  readonly log: Logger
  readonly goOn: () => boolean
  readonly onNotice: (channel: string) => void
  /** Called once it listens again: what was told meanwhile was missed. */
  readonly onBack: () => void
}

/** The connection by which a worker listens, is registered and leads; another is opened when it breaks. */
export class Listening {
  private client: pg.Client | null = null
  /** In what the worker leads, as long as the connection lasts, and what is asked about it one after the other. */
  private readonly leads = new Set<Led>()
  private asking: Promise<boolean> = Promise.resolve(false)
  /** What the worker is registered as. */
  id = 0

  constructor(private readonly options: ListeningOptions) {}

  async start(): Promise<void> {
    const { databaseUrl, parts, onNotice, goOn } = this.options
    const client = createClient(databaseUrl, 'rappel worker, listening')
    client.on('notification', ({ channel }) => onNotice(channel))
    client.on('error', () => undefined) // the end of the connection follows, and is handled there
    await client.connect()
    if (this.id === 0 || !(await keepWorker(client, this.id))) this.id = await registerWorker(client, hostname(), process.pid, parts)
    await client.query('listen rappel_change; listen rappel_moment; listen rappel_message; listen rappel_generation')
    this.client = client
    this.leads.clear()
    client.on('end', () => {
      if (this.client === client && goOn()) void this.startAgain()
    })
  }

  /** Whether the worker leads in something, which it tries to where no other does: what goes by the clock, figures, and a mailbox are one worker's at a time. */
  leadsIn(what: Led): Promise<boolean> {
    const ask = async () => {
      if (!this.leads.has(what) && this.client && (await lead(this.client, what))) this.leads.add(what)
      return this.leads.has(what)
    }
    this.asking = this.asking.then(ask, ask)
    return this.asking
  }

  async end(): Promise<void> {
    await this.client?.end().catch(() => undefined)
  }

  private async startAgain(): Promise<void> {
    const { log, goOn, onBack } = this.options
    log.warn('the database connection broke; connecting again')
    while (goOn()) {
      try {
        await this.start()
        onBack()
        log.info('connected to the database again')
        return
      } catch {
        await pause(AFTER_ERROR_MS)
      }
    }
  }
}
