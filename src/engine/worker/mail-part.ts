import { setTimeout as pause } from 'node:timers/promises'
import { faultOf } from '@/core/must'
import type { ClaimedMessage } from '@/store/mail/claim'
import type { Outcome } from '@/store/mail/finish'
import { buryWorkers } from '@/store/workers'
import { giveAccountMail } from '../account/give'
import { Bell } from '../bell'
import { Bounces } from '../bounces/bounces'
import { Delivery } from '../delivery/deliver'
import { tellHook } from '../delivery/hooks'
import { Notices } from '../delivery/notices'
import { Outlet } from '../delivery/outlet'
import { SizeWatch } from '../delivery/size-watch'
import { SLOW_POLL_MS, type Workplace } from './workplace'

/** Connections to a mail server. */
const CONNECTIONS = 5

const BURY_EVERY_MS = 5_000

/** How often it is looked whether programs elsewhere are to be told of changes. */
const HOOKS_EVERY_MS = 500

/** How often a mailbox is looked into for mail that came back. */
const LOOK_FOR_BOUNCES_MS = 10_000

/** How long after notices and mail about accounts were looked for they are looked for again, however much mail is queued meanwhile. */
const NEXT_NOTICES_MS = 100

/** How often it is looked whether something is to be done that comes seldom. */
const TICK_MS = 250

/** The part of a worker that delivers: mail, notices, mail about accounts, what programs elsewhere are told; and takes what comes back. */
export class MailPart {
  private readonly messages = new Bell()
  private readonly notices = new Bell()
  private readonly accountMail = new Bell()
  private readonly outlet: Outlet
  private readonly size: SizeWatch
  private readonly bounces: Bounces | null
  private readonly delivery: Delivery

  constructor(private readonly at: Workplace) {
    const { pool, clock, tell, listening, options } = at
    this.size = new SizeWatch(pool)
    this.outlet = new Outlet(pool, { fixed: options.isSmtpFixed ? options.smtpUrl : null, fallback: options.smtpUrl, connections: CONNECTIONS })
    this.bounces = options.bounces ? new Bounces(pool, options.bounces, clock, tell) : null
    this.delivery = new Delivery(pool, this.outlet, () => listening.id, clock, {
      tell,
      onReleased: () => this.messages.ring(),
      returnPathOf: this.bounces?.returnPathOf,
      onOutcome: (message, outcome) => this.noteOutcome(message, outcome),
    })
  }

  async begin(): Promise<void> {
    const { at, bounces } = this
    await this.outlet.refresh()
    this.lookAtSize()
    await bounces?.prepare()
    at.loops.add(this.deliverLoop(), this.noticeLoop(), this.hookLoop(), this.accountMailLoop(), this.buryLoop())
    if (bounces) at.loops.add(this.bounceLoop(bounces))
  }

  /** To be called when mail may be there, and to let the loops end. */
  ring(): void {
    for (const bell of [this.messages, this.notices, this.accountMail]) bell.ring()
  }

  close(): void {
    this.outlet.close()
  }

  /** Hands mail to the server that is set now, where that is another than before; what waited for the one before goes there at once. */
  async takeUpServer(): Promise<void> {
    if (await this.outlet.refresh()) await this.delivery.turnTo()
    this.lookAtSize()
  }

  private lookAtSize(): void {
    void this.size.look(this.outlet.talksTo)
  }

  private noteOutcome({ id, trace, changed_at }: ClaimedMessage, { state, outcome, milliseconds, at }: Outcome): void {
    const { options, meter } = this.at
    options.log.info({ message: id, outcome, milliseconds, ...(trace ? { traceparent: trace } : {}) }, 'an attempt to deliver came out')
    meter.tried(milliseconds)
    meter.count(state === 'queued' ? 'deferred' : state)
    if (state === 'sent' && changed_at) meter.accepted(Math.max(0, at.getTime() - new Date(changed_at).getTime()))
  }

  private async deliverLoop(): Promise<void> {
    const { at, delivery } = this
    await at.loops.step('mail could not be claimed; trying again', async () => {
      await at.sign('mail')
      if (await delivery.pump()) return
      await this.messages.sleep(Math.min(SLOW_POLL_MS, (await delivery.untilDue()) ?? SLOW_POLL_MS))
    })
    await delivery.settle()
  }

  private async noticeLoop(): Promise<void> {
    const { pool, clock, loops, tell, options } = this.at
    const notices = new Notices(pool, options.baseUrl, clock, { headersFor: options.headersFor, tell, onLanded: () => this.notices.ring() })
    await loops.step('notices could not be given; trying again', async () => {
      if ((await notices.pump()) === 0) await this.restThenSleep(this.notices)
    })
    await notices.settle()
  }

  private accountMailLoop(): Promise<void> {
    const { pool, loops, options } = this.at
    return loops.step('mail about accounts could not be given; trying again', async () => {
      if ((await giveAccountMail(pool, this.outlet.transport(), options.baseUrl)) === 0) await this.restThenSleep(this.accountMail)
    })
  }

  private async restThenSleep(bell: Bell): Promise<void> {
    await pause(NEXT_NOTICES_MS)
    await bell.sleep(SLOW_POLL_MS)
  }

  /** Tells programs elsewhere of changes. */
  private hookLoop(): Promise<void> {
    const { pool, clock, loops, options } = this.at
    return loops.step('changes could not be told to a program elsewhere; trying again', async () => {
      if (!(await tellHook(pool, options.baseUrl, clock))) await pause(HOOKS_EVERY_MS)
      return undefined
    })
  }

  /** Takes mail that comes back; a mailbox is read by one worker at a time, a port is listened on by the first that gets it. */
  private async bounceLoop(bounces: Bounces): Promise<void> {
    const { listening, options } = this.at
    let fault = ''
    await this.every(LOOK_FOR_BOUNCES_MS, Number.NEGATIVE_INFINITY, async () => {
      try {
        if (!bounces.isShared || (await listening.leadsIn('mailbox'))) await bounces.look()
        fault = ''
      } catch (error) {
        const said = faultOf(error)
        if (said !== fault && !said.includes('EADDRINUSE')) options.log.warn({ error: said }, 'mail that comes back could not be had; trying again')
        fault = said
      }
    })
    await bounces.stop()
  }

  private buryLoop(): Promise<void> {
    return this.every(BURY_EVERY_MS, performance.now(), async () => {
      try {
        if ((await buryWorkers(this.at.pool)) > 0) this.messages.ring()
        await this.takeUpServer()
        await this.delivery.probe()
      } catch {
        // the database is away; the next round asks again
      }
    })
  }

  /** Does something every so often, from `last` on; it may not throw. */
  private async every(milliseconds: number, last: number, work: () => Promise<void>): Promise<void> {
    let before = last
    while (this.at.loops.goOn()) {
      await pause(TICK_MS)
      if (performance.now() - before < milliseconds) continue
      before = performance.now()
      await work()
    }
  }
}
