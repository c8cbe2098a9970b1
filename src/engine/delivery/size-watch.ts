import type { Pool } from 'pg'
import { noteMailSize } from '@/store/mail-state'
import { offeredSize } from './offered-size'
import type { MailServer } from './server'

/** How long what a server said counts, and how long it is left alone where it could not be asked. */
const COUNTS_MS = 3_600_000
const AFTER_FAULT_MS = 60_000

/** Keeps what the mail server says of how much it takes: asked when it is another, and every hour. */
export class SizeWatch {
  private asked: MailServer | null = null
  private nextAt = 0
  private isAsking = false

  constructor(private readonly pool: Pool) {}

  /** To be called now and then; nobody has to wait for it, and it never throws. */
  async look(server: MailServer | null): Promise<void> {
    if (server === null || this.isAsking || (server === this.asked && performance.now() < this.nextAt)) return
    this.isAsking = true
    this.asked = server
    try {
      const size = await offeredSize(server)
      this.nextAt = performance.now() + COUNTS_MS
      await noteMailSize(this.pool, size)
    } catch {
      this.nextAt = performance.now() + AFTER_FAULT_MS // it is away, or the database is: what it said last counts
    } finally {
      this.isAsking = false
    }
  }
}
