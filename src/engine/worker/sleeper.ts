import type pg from 'pg'
import { createClient } from '@/store/database'
import { beWatchman, fallAsleep, wakeUp } from '@/store/workers'
import type { Bell } from '../bell'

/**
 * Tells writers that somebody sleeps. Whoever is about to sleep takes a lock for itself and looks once more before it sleeps; a writer tries the same lock, shared, until its
 * transaction ends. Refused, it tells the sleeper. Given, it need not: the lock cannot be taken before that transaction has ended, and then its changes are seen by the look.
 * One worker at a time, the watchman, sleeps on the lock; the others sleep without it and are woken by the watchman, or by what it is told.
 * States: up, lying down (the lock is asked for), asleep (it is held; the look comes after).
 */
export class Sleeper {
  private client: pg.Client | null = null
  private state: 'up' | 'lying down' | 'asleep' = 'up'
  private isWatchman = false
  private hasEnded = false

  constructor(
    private readonly databaseUrl: string,
    private readonly bell: Bell,
  ) {}

  /** To be called before a sleep. The bell rings once the lock is held, for the look that has to come then. */
  lieDown(): void {
    if (this.state !== 'up' || this.hasEnded) return
    this.state = 'lying down'
    void this.take()
  }

  /** To be called when there is work: writers need not tell anybody as long as it lasts. */
  getUp(): void {
    if (this.state !== 'asleep' || !this.client) return
    this.state = 'up'
    wakeUp(this.client).catch(() => undefined)
  }

  /** Whether it is for this worker to wake the others. */
  wakesOthers(): boolean {
    return this.isWatchman
  }

  async end(): Promise<void> {
    this.hasEnded = true
    const { client } = this
    this.lose()
    await client?.end().catch(() => undefined)
  }

  private async take(): Promise<void> {
    try {
      const client = await this.connected()
      this.isWatchman ||= await beWatchman(client)
      if (!this.isWatchman) {
        this.state = 'up'
        return
      }
      await fallAsleep(client)
      if (this.client !== client) return
      this.state = 'asleep'
      this.bell.ring()
    } catch {
      this.state = 'up' // the next sleep tries again
      if (this.client) this.client.end().catch(() => undefined)
    }
  }

  private async connected(): Promise<pg.Client> {
    if (this.client) return this.client
    const client = createClient(this.databaseUrl, 'rappel worker, asleep')
    client.on('error', () => undefined) // the end of the connection follows, and is handled there
    client.on('end', () => {
      if (this.client === client) this.lose()
    })
    await client.connect()
    this.client = client
    return client
  }

  /** The connection is gone, and all that was held by it; whoever sleeps looks again. */
  private lose(): void {
    this.client = null
    this.isWatchman = false
    this.state = 'up'
    this.bell.ring()
  }
}
