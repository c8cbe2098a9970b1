import { setTimeout as pause } from 'node:timers/promises'
import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import { spanned } from '@/engine/trace'
import { type ClaimedMessage, claimMessages, claimNear, EVER, findMailFloor, nextDue } from '@/store/mail/claim'
import { finishAttempts, type Outcome, releaseLost, releaseUnknown } from '@/store/mail/finish'
import { releaseBehind, releaseForgotten } from '@/store/mail/order'
import { giveBackPace, takePace } from '@/store/mail/pace'
import { noteMailState } from '@/store/mail-state'
import { isFaultOfData } from '@/store/problems'
import { suppressAddresses } from '@/store/suppressions'
import { Bell } from '../bell'
import type { Clock } from '../clock'
import { Seldom } from '../seldom'
import type { Tell } from '../tell'
import { ContentsCache, FileGone } from './contents'
import { hardBounces, outcomeOf } from './outcome'
import { keptReply } from './reply'
import { type Contents, type SendResult, send } from './send'
import type { Way, Ways } from './way'

const IN_FLIGHT = 120
const CLAIM = 40

/** How long outcomes gather before they are written together, unless one is awaited: what a crash in between would send again, under the same Message-ID. */
const GATHER_MS = 20

/** What became due how long ago is claimed as what became due just now, and how often all that is due is claimed. */
const NEAR_MS = 2_000
const WHOLE_EVERY_MS = 1_000

/** How often the time is found before which nothing is due, and how many times as long as that took it is good for at least. */
const FLOOR_EVERY_MS = 10_000
const FLOOR_RESTS = 50

/** How long after a claim the next one waits, unless something stepped up meanwhile, so that what becomes due meanwhile is claimed together, and for how long it is known when the next message becomes due. */
const NEXT_CLAIM_MS = 15
const KNOWN_FOR_MS = 100

/** How often is looked, where nothing is due, for what stands behind something that is done with and was forgotten: what was being queued at the moment at which the other was done; and how many times as long as that took it is not done again at least. */
const TIDY_EVERY_MS = 250
const TIDY_RESTS = 20

/** How soon is looked again while no server is there, and while one is given no more than it takes. */
const WHILE_SHUT_MS = 250
const WHILE_PACED_MS = 100

/** What delivery tells of, and what it is told. */
export interface DeliveryOptions {
  readonly tell?: Tell
  /** Called where something can be claimed that could not before. */
  readonly onReleased?: () => void
  /** The address that reports about a message go to; its sender's where it is absent. */
  readonly returnPathOf?: (message: ClaimedMessage) => string
  /** Told how each attempt came out. */
  readonly onOutcome?: (message: ClaimedMessage, outcome: Outcome) => void
}

/**
 * Sends queued messages: up to `IN_FLIGHT` at once, claimed while there is room, their outcomes written together.
 * States of a message here: claimed, with the server, answered, written.
 */
export class Delivery {
  private readonly flying = new Set<Promise<void>>()
  private outcomes: Outcome[] = []
  private flushing: Promise<void> | null = null
  /** Rung by an outcome that another message waits for, and once something may be claimed that stood behind: a row of mail about one record goes on without a rest. */
  private readonly awaited = new Bell()
  private readonly steppedUp = new Bell()
  private onRoom: (() => void) | null = null
  private mailOk: boolean | null = null
  /** Where the next claim goes on among the workflows. */
  private after = -1
  private claimedAt = new Date(0)
  /** When the next message becomes due, as far as known, and since when. */
  private next: { readonly due: Date | null; readonly askedAt: number } = { due: null, askedAt: Number.NEGATIVE_INFINITY }
  /** What was claimed and is not written to be done with. */
  private readonly held = new Set<number>()
  /** Whether the answer to a claim may have been lost on its way, so that there may be messages which nobody knows to have. */
  private isUnsure = false
  private readonly tidyRests = new Seldom(TIDY_EVERY_MS, TIDY_RESTS)
  /** Until when only what became due just now is claimed. */
  private wholeAt = 0
  /** Whether more waits than a claim of what is near looks at, so that workflows have to be given their turns. */
  private isMuch = false
  /** Before it nothing is due, as found a while ago. */
  private floor = EVER
  private readonly floorRests = new Seldom(FLOOR_EVERY_MS, FLOOR_RESTS)
  private readonly tell: Tell
  private readonly onReleased: () => void
  private readonly returnPathOf: DeliveryOptions['returnPathOf']
  private readonly onOutcome: DeliveryOptions['onOutcome']
  private readonly contents: ContentsCache

  constructor(
    private readonly pool: Pool,
    /** The servers that mail is handed over to. */
    private readonly ways: Ways,
    /** The id that this process has among workers; another where it had to register again. */
    private readonly worker: () => number,
    private readonly clock: Clock,
    more: DeliveryOptions = {},
  ) {
    this.tell = more.tell ?? (() => undefined)
    this.onReleased = more.onReleased ?? (() => undefined)
    this.returnPathOf = more.returnPathOf
    this.onOutcome = more.onOutcome
    this.contents = new ContentsCache(pool)
  }

  /** Claims and starts what is due, as far as there is room; whether anything was claimed. */
  async pump(): Promise<boolean> {
    if (this.flying.size > IN_FLIGHT - CLAIM) {
      await this.room()
      return true
    }
    if (this.openWays().length === 0) await this.probe()
    const way = this.openWays()[0]
    if (!way) return false
    const room = await this.paceOf(way, CLAIM)
    if (room === 0) return false
    const worker = this.worker()
    const now = this.clock()
    if (this.isUnsure) await this.handBack(worker)
    const messages = await this.claim(worker, room, now).catch((error: unknown) => {
      this.isUnsure = true
      throw error
    })
    this.claimedAt = now
    await this.giveBack(way, room - messages.length)
    for (const message of messages) this.start(message, worker)
    if (messages.length === 0) return this.tidy()
    if (messages.length < room) await this.steppedUp.sleep(NEXT_CLAIM_MS)
    return true
  }

  /** Hands back what this worker claimed as far as the database knows, and itself does not. */
  private async handBack(worker: number): Promise<void> {
    if ((await releaseUnknown(this.pool, worker, [...this.held])) > 0) this.released()
    this.isUnsure = false
  }

  /** Claims what became due just now; now and then, and as long as there is more than that, whatever is due; where much is, in turn by workflow. */
  private async claim(worker: number, room: number, now: Date): Promise<ClaimedMessage[]> {
    if (this.isMuch) {
      const { messages, after } = await claimMessages(this.pool, worker, room, now, this.after, await this.floorOf(now))
      this.after = after
      this.isMuch = messages.length >= room || after >= 0
      return messages
    }
    const isWhole = now.getTime() >= this.wholeAt
    const { messages, isMore } = await claimNear(this.pool, worker, room, now, isWhole ? await this.floorOf(now) : new Date(now.getTime() - NEAR_MS))
    this.isMuch = isMore
    if (messages.length >= room) this.wholeAt = 0
    else if (isWhole) this.wholeAt = now.getTime() + WHOLE_EVERY_MS
    return messages
  }

  /** A time before which nothing is due. */
  private async floorOf(now: Date): Promise<Date> {
    if (this.floorRests.isDue || this.floor >= now) this.floor = await this.floorRests.do(() => findMailFloor(this.pool, now))
    return this.floor
  }

  private openWays(): readonly Way[] {
    return this.ways.all().filter((way) => way.isOpen())
  }

  /** How many of so many messages a server may be given now. */
  private async paceOf({ name, limits: { perMinute } }: Way, wanted: number): Promise<number> {
    return perMinute === null ? wanted : takePace(this.pool, name, perMinute, wanted)
  }

  private async giveBack({ name, limits: { perMinute } }: Way, unused: number): Promise<void> {
    if (perMinute !== null) await giveBackPace(this.pool, name, perMinute, unused)
  }

  /** Waits until nothing is in flight and every outcome is written. */
  async settle(): Promise<void> {
    while (this.flying.size > 0) await Promise.all(this.flying)
    await this.flush()
  }

  /** Milliseconds until it is worth looking again: the next message is due, or a server may be given more; null where nothing is known to come. */
  async untilDue(): Promise<number | null> {
    const way = this.openWays()[0]
    if (!way) return WHILE_SHUT_MS
    if (way.limits.perMinute !== null) return WHILE_PACED_MS
    const now = performance.now()
    if (now - this.next.askedAt >= KNOWN_FOR_MS || (this.next.due && this.next.due <= this.claimedAt)) this.next = { due: await nextDue(this.pool, this.claimedAt), askedAt: now }
    const { due } = this.next
    return due === null ? null : Math.max(0, due.getTime() - this.clock().getTime())
  }

  /** Asks the servers that were found away; once one is there lets go at once what waited for it. */
  async probe(): Promise<void> {
    const [first] = this.ways.all()
    const wasShut = this.openWays().length === 0
    await Promise.all(this.ways.all().map((way) => way.look()))
    const isBack = wasShut && this.openWays().length > 0
    if (isBack) this.released()
    if (this.mailOk !== false || !first) return
    if (!isBack && (!first.isOpen() || (await first.verify()) !== null)) return
    await this.noteMail(true, 'The server accepts connections again.')
    await this.letGoLost()
  }

  /** Lets go at once what waits because no server could be reached. */
  private async letGoLost(): Promise<void> {
    if ((await releaseLost(this.pool, this.clock())) > 0) this.released()
  }

  /** What may be claimed from now on may have been due for long. */
  private released(): void {
    this.wholeAt = 0
    this.floorRests.hurry()
    this.onReleased()
  }

  /** Lets go what stands behind something that is done with and was forgotten, where that was not looked for just now; whether there was any. */
  private async tidy(): Promise<boolean> {
    if (!this.tidyRests.isDue) return false
    if ((await this.tidyRests.do(() => releaseForgotten(this.pool))) === 0) return false
    this.released()
    return true
  }

  /** Asks a server that mail has not gone to yet; what waited for the one before goes to it at once, where it answers. */
  async turnTo(): Promise<void> {
    const faults = await Promise.all(this.ways.all().map((way) => way.verify()))
    const isWell = faults.includes(null)
    await this.noteMail(isWell, isWell ? '' : (faults[0] ?? ''))
    if (isWell) await this.letGoLost()
  }

  /** Waits until a whole claim fits in again. */
  private room(): Promise<void> {
    return new Promise((resolve) => {
      this.onRoom = resolve
    })
  }

  private start(message: ClaimedMessage, worker: number): void {
    this.held.add(message.id)
    const flight = this.deliver(message, worker).finally(() => {
      this.flying.delete(flight)
      if (this.flying.size <= IN_FLIGHT - CLAIM) this.onRoom?.()
    })
    this.flying.add(flight)
  }

  private async deliver(message: ClaimedMessage, worker: number): Promise<void> {
    const startedAt = this.clock()
    const result = await spanned('deliver', message.trace, { 'rappel.message': message.id, 'rappel.attempt': message.attempt }, () => this.send(message))
    const outcome = outcomeOf(message, worker, result, startedAt, this.clock(), Math.random())
    this.outcomes.push(outcome)
    if (message.is_awaited) this.awaited.ring()
    this.onOutcome?.(message, outcome)
    const bounced = hardBounces(message, result)
    if (bounced.length) await suppressAddresses(this.pool, bounced).catch(() => undefined)
    await this.noteMail(result.reached, result.reply).catch(() => undefined)
    await this.flush()
  }

  /** Sends a message with what it carries; one that lacks a file fails for good, saying so; what else keeps its files from being read may pass. */
  private async send(message: ClaimedMessage): Promise<SendResult> {
    try {
      return await this.sendBySome(message, message.attachments?.length ? await this.contents.read(message.attachments) : undefined)
    } catch (error) {
      const reply = faultOf(error)
      return { ...unsent(message, reply, error instanceof FileGone ? 'refused' : 'deferred'), reached: true }
    }
  }

  /** Hands a message to the first server that can be reached; a server that may have taken it is the last. */
  private async sendBySome(message: ClaimedMessage, contents?: Contents): Promise<SendResult> {
    let result: SendResult | null = null
    for (const way of this.openWays()) {
      if (result && (await this.paceOf(way, 1)) === 0) continue
      result = await send(way.transport, message, { contents, mostRecipients: way.limits.mostRecipients, returnPath: this.returnPathOf?.(message) })
      way.note(result.reached)
      if (result.reached || result.inDoubt) break
    }
    return result ?? unsent(message, 'No mail server can be reached.', 'deferred')
  }

  private async noteMail(ok: boolean, reply: string): Promise<void> {
    if (this.mailOk === ok) return
    this.mailOk = ok
    await noteMailState(this.pool, ok, ok ? '' : keptReply(reply), this.clock())
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
      if (this.flying.size > this.outcomes.length) await this.awaited.sleep(GATHER_MS)
      const batch = this.outcomes
      this.outcomes = []
      try {
        await this.finish(batch)
      } catch (error) {
        if (isFaultOfData(error)) await this.writeOneByOne(batch)
        else {
          this.outcomes.unshift(...batch)
          await pause(500)
        }
      }
    }
  }

  private async finish(batch: readonly Outcome[]): Promise<void> {
    await finishAttempts(this.pool, batch)
    for (const { message } of batch) this.held.delete(message)
    const released = await releaseBehind(
      this.pool,
      batch.map((o) => o.message),
      this.clock(),
    )
    if (released === 0) return
    this.steppedUp.ring()
    this.onReleased()
  }

  /** Writes outcomes each by itself, where they cannot be written together; one that cannot be written at all is told of, and keeps none of the others waiting. */
  private async writeOneByOne(batch: readonly Outcome[]): Promise<void> {
    for (const [i, outcome] of batch.entries()) {
      try {
        await this.finish([outcome])
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

/** An attempt at which a message was given to no server. */
function unsent(message: ClaimedMessage, reply: string, result: 'refused' | 'deferred'): SendResult {
  const open = message.recipients.filter((r) => r.state === 'open')
  return { reached: false, inDoubt: false, reply, recipients: open.map((r) => ({ position: r.position, result, reply })) }
}
