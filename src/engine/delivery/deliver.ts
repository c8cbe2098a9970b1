import type { Transporter } from 'nodemailer'
import type { Pool } from 'pg'
import { type ClaimedMessage, claimMessages, finishAttempts, nextDue, noteMailState, type Outcome, releaseLost, suppressAddresses } from '@/store/messages'
import type { Clock } from '../clock'
import { hardBounces, outcomeOf } from './outcome'
import { send } from './send'

const IN_FLIGHT = 40
const CLAIM = 20

/**
 * Sends queued messages: up to `IN_FLIGHT` at once, claimed while there is room, their outcomes written together.
 * States of a message here: claimed, with the server, answered, written.
 */
export class Delivery {
  private readonly flying = new Set<Promise<void>>()
  private outcomes: Outcome[] = []
  private flushing: Promise<void> | null = null
  private mailOk: boolean | null = null

  constructor(
    private readonly pool: Pool,
    private readonly transport: Transporter,
    private readonly worker: number,
    private readonly clock: Clock,
  ) {}

  /** Claims and starts what is due, as far as there is room; whether anything was claimed. */
  async pump(): Promise<boolean> {
    const room = Math.min(CLAIM, IN_FLIGHT - this.flying.size)
    if (room <= 0) {
      await Promise.race(this.flying)
      return true
    }
    const claimed = await claimMessages(this.pool, this.worker, room, this.clock())
    for (const message of claimed) this.start(message)
    return claimed.length > 0
  }

  /** Waits until nothing is in flight and every outcome is written. */
  async settle(): Promise<void> {
    while (this.flying.size > 0) await Promise.all(this.flying)
    await this.flush()
  }

  /** Milliseconds until the next message is due; null where none waits. */
  async untilDue(): Promise<number | null> {
    const due = await nextDue(this.pool)
    return due === null ? null : Math.max(0, due.getTime() - this.clock().getTime())
  }

  /** While the server was last found down: asks it again, and once it is there lets go at once what waited for it. */
  async probe(): Promise<void> {
    if (this.mailOk !== false) return
    const up = await this.transport.verify().then(
      () => true,
      () => false,
    )
    if (!up) return
    await this.noteMail(true, 'The server accepts connections again.')
    await releaseLost(this.pool, this.clock())
  }

  private start(message: ClaimedMessage): void {
    const flight = this.deliver(message).finally(() => this.flying.delete(flight))
    this.flying.add(flight)
  }

  private async deliver(message: ClaimedMessage): Promise<void> {
    const startedAt = this.clock()
    const result = await send(this.transport, message)
    this.outcomes.push(outcomeOf(message, this.worker, result, startedAt, this.clock(), Math.random()))
    const bounced = hardBounces(message, result)
    if (bounced.length) await suppressAddresses(this.pool, bounced).catch(() => undefined)
    await this.noteMail(result.reached, result.reply).catch(() => undefined)
    await this.flush()
  }

  private async noteMail(ok: boolean, reply: string): Promise<void> {
    if (this.mailOk === ok) return
    this.mailOk = ok
    await noteMailState(this.pool, ok, ok ? '' : reply, this.clock())
  }

  /** Writes outcomes, all that gathered while the last write was under way in one statement; tries again while the database is away. */
  private flush(): Promise<void> {
    this.flushing ??= this.writeOutcomes().finally(() => {
      this.flushing = null
    })
    return this.flushing
  }

  private async writeOutcomes(): Promise<void> {
    while (this.outcomes.length > 0) {
      const batch = this.outcomes
      this.outcomes = []
      try {
        await finishAttempts(this.pool, batch)
      } catch {
        this.outcomes.unshift(...batch)
        await new Promise((resolve) => setTimeout(resolve, 500))
      }
    }
  }
}
