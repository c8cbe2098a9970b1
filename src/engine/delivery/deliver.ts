import type { Transporter } from 'nodemailer'
import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import { noteMailState } from '@/store/mail-state'
import { type ClaimedMessage, claimMessages, finishAttempts, nextDue, type Outcome, releaseLost, suppressAddresses } from '@/store/messages'
import { isFaultOfData } from '@/store/problems'
import type { Clock } from '../clock'
import type { Tell } from '../tell'
import { ContentsCache, FileGone } from './contents'
import { hardBounces, outcomeOf } from './outcome'
import { type SendResult, send } from './send'

const IN_FLIGHT = 120
const CLAIM = 40

/** How long outcomes gather before they are written together: what a crash in between would send again, under the same Message-ID. */
const GATHER_MS = 12

/**
 * Sends queued messages: up to `IN_FLIGHT` at once, claimed while there is room, their outcomes written together.
 * States of a message here: claimed, with the server, answered, written.
 */
export class Delivery {
  private readonly flying = new Set<Promise<void>>()
  private outcomes: Outcome[] = []
  private flushing: Promise<void> | null = null
  private onRoom: (() => void) | null = null
  private mailOk: boolean | null = null
  private readonly contents: ContentsCache

  constructor(
    private readonly pool: Pool,
    /** The connection that mail is handed over by now. */
    private readonly transport: () => Transporter,
    /** The id that this process has among workers; another where it had to register again. */
    private readonly worker: () => number,
    private readonly clock: Clock,
    private readonly tell: Tell = () => undefined,
  ) {
    this.contents = new ContentsCache(pool)
  }

  /** Claims and starts what is due, as far as there is room; whether anything was claimed. */
  async pump(): Promise<boolean> {
    if (this.flying.size > IN_FLIGHT - CLAIM) {
      await this.room()
      return true
    }
    const worker = this.worker()
    const claimed = await claimMessages(this.pool, worker, CLAIM, this.clock())
    for (const message of claimed) this.start(message, worker)
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
    if ((await this.verify()) !== null) return
    await this.noteMail(true, 'The server accepts connections again.')
    await releaseLost(this.pool, this.clock())
  }

  /** Asks a server that mail has not gone to yet; what waited for the one before goes to it at once, where it answers. */
  async turnTo(): Promise<void> {
    const fault = await this.verify()
    await this.noteMail(fault === null, fault ?? '')
    if (fault === null) await releaseLost(this.pool, this.clock())
  }

  /** Why the server takes no connection; null where it does. */
  private verify(): Promise<string | null> {
    return this.transport()
      .verify()
      .then(
        () => null,
        (error: unknown) => faultOf(error),
      )
  }

  /** Waits until a whole claim fits in again. */
  private room(): Promise<void> {
    return new Promise((resolve) => {
      this.onRoom = resolve
    })
  }

  private start(message: ClaimedMessage, worker: number): void {
    const flight = this.deliver(message, worker).finally(() => {
      this.flying.delete(flight)
      if (this.flying.size <= IN_FLIGHT - CLAIM) this.onRoom?.()
    })
    this.flying.add(flight)
  }

  private async deliver(message: ClaimedMessage, worker: number): Promise<void> {
    const startedAt = this.clock()
    const result = await this.send(message)
    this.outcomes.push(outcomeOf(message, worker, result, startedAt, this.clock(), Math.random()))
    const bounced = hardBounces(message, result)
    if (bounced.length) await suppressAddresses(this.pool, bounced).catch(() => undefined)
    await this.noteMail(result.reached, result.reply).catch(() => undefined)
    await this.flush()
  }

  /** Sends a message with what it carries; one that lacks a file fails for good, saying so; what else keeps its files from being read may pass. */
  private async send(message: ClaimedMessage): Promise<SendResult> {
    if (!message.attachments?.length) return send(this.transport(), message)
    try {
      return await send(this.transport(), message, await this.contents.read(message.attachments))
    } catch (error) {
      const reply = faultOf(error)
      const open = message.recipients.filter((r) => r.state === 'open')
      return { reached: true, reply, recipients: open.map((r) => ({ position: r.position, result: error instanceof FileGone ? 'refused' : 'deferred', reply })) }
    }
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
      if (this.flying.size > this.outcomes.length) await new Promise((resolve) => setTimeout(resolve, GATHER_MS))
      const batch = this.outcomes
      this.outcomes = []
      try {
        await finishAttempts(this.pool, batch)
      } catch (error) {
        if (isFaultOfData(error)) await this.writeOneByOne(batch)
        else {
          this.outcomes.unshift(...batch)
          await new Promise((resolve) => setTimeout(resolve, 500))
        }
      }
    }
  }

  /** Writes outcomes each by itself, where they cannot be written together; one that cannot be written at all is told of, and keeps none of the others waiting. */
  private async writeOneByOne(batch: readonly Outcome[]): Promise<void> {
    for (const [i, outcome] of batch.entries()) {
      try {
        await finishAttempts(this.pool, [outcome])
      } catch (error) {
        if (!isFaultOfData(error)) {
          this.outcomes.unshift(...batch.slice(i))
          return
        }
        this.tell('the outcome of an attempt could not be written', { message: outcome.message, attempt: outcome.attempt, error: String(error) })
      }
    }
  }
}
