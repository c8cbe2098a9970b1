import { hostname } from 'node:os'
import { setTimeout as pause } from 'node:timers/promises'
import type pg from 'pg'
import type { Pool } from 'pg'
import type { Logger } from 'pino'
import { faultOf, must } from '@/core/must'
import { createClient, createPool } from '@/store/database'
import { giveSign } from '@/store/health'
import type { ClaimedMessage } from '@/store/mail/claim'
import type { Outcome } from '@/store/mail/finish'
import { hasToMove, moveNext } from '@/store/moving'
import { readAsleep, settleIn } from '@/store/place'
import { buryWorkers, keepWorker, type Led, lead, registerWorker, unregisterWorker, wakeWorkers } from '@/store/workers'
import { giveAccountMail } from './account/give'
import { Apart } from './apart/apart'
import { Follower } from './attached'
import { Bell } from './bell'
import { Bounces } from './bounces/bounces'
import type { BounceSource } from './bounces/source'
import { Inbox } from './bulk/inbox'
import { type Clock, systemClock } from './clock'
import { Delivery } from './delivery/deliver'
import { tellHook } from './delivery/hooks'
import { giveNotices, type HeadersFor } from './delivery/notices'
import { Outlet } from './delivery/outlet'
import { SizeWatch } from './delivery/size-watch'
import { Dispatcher } from './dispatch'
import { Figures } from './figures/figures'
import { startHousekeeping } from './housekeeping'
import { Held } from './limits/held'
import { Meter } from './meter'
import type { Source } from './occasions/source'
import { Stays } from './occasions/stays'
import { Timetables } from './occasions/timetables'
import { Sleeper } from './sleeper'
import type { Tell } from './tell'
import { WaitingRuns } from './waiting'

const SLOW_POLL_MS = 1_000
const AFTER_ERROR_MS = 500
const BURY_EVERY_MS = 5_000
const CONNECTIONS = 5

/** Shards with something to handle from which on the other workers are woken too. */
const MANY_SHARDS = 2

/** How often a part notes that it goes round; health takes one that did not for a minute for gone. */
const SIGN_EVERY_MS = 5_000

/** How often it is looked whether programs elsewhere are to be told of changes. */
const HOOKS_EVERY_MS = 500

/** How often the folders of imports are looked into. */
const LOOK_INTO_INBOX_MS = 1_000

/** How often it is looked whether owners of attached tables changed them. */
const LOOK_AT_ATTACHED_MS = 1_000

/** How often a mailbox is looked into for mail that came back. */
const LOOK_FOR_BOUNCES_MS = 10_000

/** How long after a round that left nothing the next one begins, so that what comes meanwhile is handled together: a round costs as much as many changes. */
const NEXT_ROUND_MS = 12

/** How long after figures were looked at they are looked at again. */
const NEXT_FIGURES_MS = 100

/** How long after notices and mail about accounts were looked for they are looked for again, however much mail is queued meanwhile. */
const NEXT_NOTICES_MS = 100

/** How soon is looked again where something is due and could not be handled: another worker has it, or changes before it are still to be handled. */
const HELD_UP_MS = 100

/** How often what a process measures is kept. */
const MEASURE_EVERY_MS = 15_000

/** Waiting runs that are worked out at once, each in a process of its own. */
const WAITING_AT_ONCE = 2

export interface WorkerOptions {
  readonly databaseUrl: string
  /** The mail server that is used where none is set in Settings. */
  readonly smtpUrl: string
  /** Whether `smtpUrl` is used whatever is set. */
  readonly isSmtpFixed?: boolean
  readonly baseUrl: string
  readonly log: Logger
  readonly clock?: Clock
  /** What this process does; all of it unless said otherwise. Two processes, one for each part, use two cores. */
  readonly parts?: readonly WorkerPart[]
  /** Memory in MB of the processes in which what takes long, or kills, is worked out. */
  readonly apartMemory?: number
  /** The home of the installation, whose `inbox` is looked into; none where files are laid in nowhere. */
  readonly home?: string
  /** What is sent along to channels' addresses. */
  readonly headersFor?: HeadersFor
  /** Where mail that comes back is had from; nowhere where it is absent. */
  readonly bounces?: BounceSource
}

/** `changes`: deciding what comes of changes, with the house kept; `mail`: delivering mail and notices. */
export type WorkerPart = 'changes' | 'mail'

/**
 * One worker: listens, handles changes, delivers mail.
 * Modes: starting (until registered), running, stopping (finishes what it holds), stopped. A database that goes away
 * keeps it running: each loop tries again, and the listening connection is made anew.
 */
export class Worker {
  private readonly pool: Pool
  private readonly changes = new Bell()
  private readonly sleeper: Sleeper
  /** Rung where there were changes: figures move then. */
  private readonly moved = new Bell()
  private readonly moments = [new Bell(), new Bell(), new Bell(), this.moved, new Bell()] as const
  private readonly messages = new Bell()
  private readonly notices = new Bell()
  private readonly accountMail = new Bell()
  private listener: pg.Client | null = null
  /** In what this worker leads, as long as the listening connection lasts, and what is asked about it one after the other. */
  private readonly leads = new Set<Led>()
  private asking: Promise<boolean> = Promise.resolve(false)
  private id = 0
  private readonly signed = new Map<WorkerPart, number>()
  private mode: 'starting' | 'running' | 'stopping' | 'stopped' = 'starting'
  private loops: Promise<void>[] = []
  private stopHousekeeping: () => Promise<void> = async () => undefined
  private apart: Apart | null = null
  private readonly outlet: Outlet
  private readonly size: SizeWatch
  private readonly meter: Meter
  private delivery: Delivery | null = null

  constructor(private readonly options: WorkerOptions) {
    this.pool = createPool(options.databaseUrl, { max: 8, name: 'rappel worker', plansOnce: true })
    this.sleeper = new Sleeper(options.databaseUrl, this.changes)
    this.size = new SizeWatch(this.pool)
    this.meter = new Meter(this.pool, this.parts.length === 1 ? (this.parts[0] ?? 'all') : 'all')
    this.outlet = new Outlet(this.pool, { fixed: options.isSmtpFixed ? options.smtpUrl : null, fallback: options.smtpUrl, connections: CONNECTIONS })
  }

  /** Registers and starts the loops; in a restored installation those begin once somebody says so. */
  async start(): Promise<void> {
    await settleIn(this.pool)
    await this.listen()
    await buryWorkers(this.pool)
    this.mode = 'running'
    if ((await readAsleep(this.pool)) === null) return this.begin()
    this.options.log.warn('this installation was restored from a copy: nothing is decided or sent before somebody says so, on its first page or by npm run rappel -- wake')
    this.loops.push(this.waitUntilAwake())
  }

  private async waitUntilAwake(): Promise<void> {
    while (this.isRunning()) {
      await pause(SLOW_POLL_MS)
      const asleep = await readAsleep(this.pool).catch(() => 'unknown' as const)
      if (asleep === null && this.isRunning()) return this.begin()
    }
  }

  private async begin(): Promise<void> {
    const clock = this.options.clock ?? systemClock
    await this.takeUpServer()
    const tell: Tell = (what, about) => this.options.log.warn(about, what)
    const { databaseUrl, baseUrl, apartMemory } = this.options
    this.apart = new Apart({ databaseUrl, baseUrl, processes: WAITING_AT_ONCE, memory: apartMemory })
    const dispatcher = new Dispatcher(this.pool, baseUrl, clock, tell, this.apart)
    const figures = new Figures(this.pool, dispatcher, clock)
    const bounces = this.options.bounces ? new Bounces(this.pool, this.options.bounces, clock, tell) : null
    await bounces?.prepare()
    const delivery = new Delivery(this.pool, this.outlet, () => this.id, clock, {
      tell,
      onReleased: () => this.messages.ring(),
      returnPathOf: bounces?.returnPathOf,
      onOutcome: (message, outcome) => this.noteOutcome(message, outcome),
    })
    this.delivery = delivery
    const { parts } = this
    this.loops.push(this.meterLoop())
    if (parts.includes('changes'))
      this.loops.push(this.dispatchLoop(dispatcher), ...this.waitingLoops(dispatcher, this.apart, clock), ...this.momentLoops(dispatcher, figures, clock, tell))
    if (parts.includes('mail')) this.loops.push(this.deliverLoop(delivery), this.noticeLoop(clock), this.hookLoop(clock), this.accountMailLoop(), this.buryLoop(delivery))
    if (parts.includes('mail') && bounces) this.loops.push(this.bounceLoop(bounces))
    if (parts.includes('changes')) this.loops.push(this.movingLoop(), this.attachedLoop(new Follower(this.pool, tell)))
    if (parts.includes('changes') && this.options.home) this.loops.push(this.inboxLoop(new Inbox(this.pool, this.options.home, tell)))
    if (parts.includes('changes')) this.stopHousekeeping = await startHousekeeping(this.options.databaseUrl, this.options.log, figures)
    this.options.log.info({ worker: this.id }, 'worker started')
  }

  /** Finishes what it holds and stops. */
  async stop(): Promise<void> {
    if (this.mode !== 'running') return
    this.mode = 'stopping'
    this.changes.ring()
    for (const bell of this.moments) bell.ring()
    this.messages.ring()
    this.notices.ring()
    this.accountMail.ring()
    this.apart?.close()
    await this.stopHousekeeping()
    for (let i = 0; i < this.loops.length; i++) await this.loops[i] // one of them may have begun others
    await this.sleeper.end()
    await unregisterWorker(this.pool, this.id).catch(() => undefined)
    await this.listener?.end().catch(() => undefined)
    this.outlet.close()
    this.meter.stop()
    await this.pool.end()
    this.mode = 'stopped'
  }

  /** Notes now and then that a part goes round. */
  private async sign(part: WorkerPart): Promise<void> {
    const now = Date.now()
    if (now - (this.signed.get(part) ?? 0) < SIGN_EVERY_MS) return
    this.signed.set(part, now)
    await giveSign(this.pool, part)
  }

  private get parts(): readonly WorkerPart[] {
    return this.options.parts ?? ['changes', 'mail']
  }

  /** Whether this worker leads in something, which it tries to where no other does: what goes by the clock, figures, and a mailbox are one worker's at a time. */
  private leadsIn(what: Led): Promise<boolean> {
    const ask = async () => {
      if (!this.leads.has(what) && this.listener && (await lead(this.listener, what))) this.leads.add(what)
      return this.leads.has(what)
    }
    this.asking = this.asking.then(ask, ask)
    return this.asking
  }

  private noteOutcome({ id, trace, changed_at }: ClaimedMessage, { state, outcome, milliseconds, at }: Outcome): void {
    this.options.log.info({ message: id, outcome, milliseconds, ...(trace ? { traceparent: trace } : {}) }, 'an attempt to deliver came out')
    const { meter } = this
    meter.tried(milliseconds)
    meter.count(state === 'queued' ? 'deferred' : state)
    if (state === 'sent' && changed_at) meter.accepted(Math.max(0, at.getTime() - new Date(changed_at).getTime()))
  }

  /** Keeps now and then what was measured. */
  private meterLoop(): Promise<void> {
    return this.stepping('what was measured could not be kept; trying again', async () => {
      for (const end = Date.now() + MEASURE_EVERY_MS; Date.now() < end && this.isRunning(); ) await pause(250)
      if (this.isRunning()) await this.meter.keep()
      return undefined
    })
  }

  private isRunning(): boolean {
    return this.mode === 'running'
  }

  /** Opens the connection that listens and gives the sign of life; opens another when it breaks. */
  private async listen(): Promise<void> {
    const client = createClient(this.options.databaseUrl, 'rappel worker, listening')
    client.on('notification', ({ channel }) => {
      if (channel === 'rappel_moment' || channel === 'rappel_generation') for (const bell of this.moments) bell.ring()
      if (channel === 'rappel_generation') void this.takeUpServer().catch(() => undefined) // the next look takes it up
      if (channel !== 'rappel_message') return this.changes.ring()
      this.messages.ring()
      this.notices.ring()
      this.accountMail.ring()
    })
    client.on('error', () => undefined) // the end of the connection follows, and is handled there
    await client.connect()
    if (this.id === 0 || !(await keepWorker(client, this.id))) this.id = await registerWorker(client, hostname(), process.pid, this.parts)
    await client.query('listen rappel_change; listen rappel_moment; listen rappel_message; listen rappel_generation')
    this.listener = client
    this.leads.clear()
    client.on('end', () => {
      if (this.listener === client && this.isRunning()) void this.listenAgain()
    })
  }

  private async listenAgain(): Promise<void> {
    this.options.log.warn('the database connection broke; connecting again')
    while (this.isRunning()) {
      try {
        await this.listen()
        this.changes.ring()
        this.messages.ring()
        this.options.log.info('connected to the database again')
        return
      } catch {
        await pause(AFTER_ERROR_MS)
      }
    }
  }

  /** Takes one step after the other while it runs, until one was the last; after one that failed, which is told, the next comes a while later. */
  private async stepping(fault: string, step: () => Promise<'last' | undefined>): Promise<void> {
    while (this.isRunning()) {
      try {
        if ((await step()) === 'last') return
      } catch (error) {
        this.options.log.warn({ error: String(error) }, fault)
        await pause(AFTER_ERROR_MS)
      }
    }
  }

  private dispatchLoop(dispatcher: Dispatcher): Promise<void> {
    return this.stepping('changes could not be handled; trying again', async () => {
      await this.sign('changes')
      const busy = shuffled(await dispatcher.busyShards())
      if (busy.length > MANY_SHARDS && this.sleeper.wakesOthers()) await wakeWorkers(this.pool)
      let handled = await dispatcher.handleShards(
        busy,
        () => this.isRunning(),
        (done) => this.meter.count('runs', done.runs),
      )
      if (this.isRunning()) handled += await dispatcher.handleLate()
      if (handled > 0) {
        this.meter.count('handled', handled)
        this.sleeper.getUp()
        this.moved.ring()
        if (!dispatcher.isBehind) await pause(NEXT_ROUND_MS)
      } else if (busy.length) await this.changes.sleep(20)
      else {
        this.sleeper.lieDown()
        await this.changes.sleep(SLOW_POLL_MS)
      }
    })
  }

  /** Runs that wait are worked out two at a time, so that one which takes long does not keep all others waiting. */
  private waitingLoops(dispatcher: Dispatcher, apart: Apart, clock: Clock): Promise<void>[] {
    const waiting = new WaitingRuns(this.pool, dispatcher, apart, clock)
    return Array.from({ length: WAITING_AT_ONCE }, () => this.waitingLoop(waiting))
  }

  /** What comes by the clock, and what is pressed: each source has a loop of its own, which sleeps until its next is due. */
  private momentLoops(dispatcher: Dispatcher, figures: Figures, clock: Clock, tell: Tell): Promise<void>[] {
    const waiting = new WaitingRuns(this.pool, dispatcher, must(this.apart), clock)
    const presses: Source = { next: () => Promise.resolve(null), handle: () => waiting.tryPressed() }
    const held = new Held(this.pool, dispatcher, clock, tell)
    const sources = [new Stays(this.pool, dispatcher, clock, tell), this.ofLeader(new Timetables(this.pool, dispatcher, clock, tell)), presses, this.ofLeader(figures), held]
    return sources.map((source, i) => this.momentLoop(source, must(this.moments[i]), clock))
  }

  /** A source that only the leader handles. */
  private ofLeader(source: Source): Source {
    const isOurs = () => this.leadsIn('clock')
    return { next: async () => ((await isOurs()) ? source.next() : null), handle: async () => ((await isOurs()) ? source.handle() : 0) }
  }

  private momentLoop(source: Source, bell: Bell, clock: Clock): Promise<void> {
    return this.stepping('what is due could not be handled; trying again', async () => {
      const handled = await source.handle()
      if (bell === this.moved) await pause(NEXT_FIGURES_MS)
      if (handled > 0) return
      const next = await source.next()
      const left = next ? next.getTime() - clock().getTime() : SLOW_POLL_MS
      await bell.sleep(left <= 0 ? HELD_UP_MS : Math.max(5, Math.min(SLOW_POLL_MS, left)))
    })
  }

  /** Moves what a version of before recorded as images into the logs, a piece at a time, until all of it is there. */
  private movingLoop(): Promise<void> {
    return this.stepping('changes could not be moved into their log; trying again', async () => {
      if (!(await hasToMove(this.pool))) return 'last'
      const moved = await moveNext(this.pool)
      if (!moved) await pause(SLOW_POLL_MS)
      else if (moved.lookedAt === 0) this.options.log.info({ table: moved.table }, 'its changes are all in its log')
      else if (moved.stayed > 0) this.options.log.warn({ ...moved }, 'some changes stay as they were recorded, for the log would not give them back alike')
    })
  }

  /** Follows what owners do to attached tables. */
  private attachedLoop(follower: Follower): Promise<void> {
    return this.stepping('an attached table could not be followed; trying again', async () => {
      if ((await follower.look()) > 0) this.changes.ring()
      await pause(LOOK_AT_ATTACHED_MS)
      return undefined
    })
  }

  /** Looks into the folders of imports now and then. */
  private inboxLoop(inbox: Inbox): Promise<void> {
    return this.stepping('files that were laid in could not be imported; trying again', async () => {
      if ((await inbox.look()) === 0) await pause(LOOK_INTO_INBOX_MS)
      return undefined
    })
  }

  private async waitingLoop(waiting: WaitingRuns): Promise<void> {
    while (this.isRunning()) {
      await pause(250)
      try {
        while (this.isRunning() && (await waiting.tryOne()));
      } catch (error) {
        // the database is away or busy; the next round tries again
        if (this.isRunning()) this.options.log.warn({ error: String(error) }, 'a waiting run could not be tried; trying again')
      }
    }
  }

  /** Hands mail to the server that is set now, where that is another than before; what waited for the one before goes there at once. */
  private async takeUpServer(): Promise<void> {
    if (await this.outlet.refresh()) await this.delivery?.turnTo()
    void this.size.look(this.outlet.talksTo)
  }

  private async deliverLoop(delivery: Delivery): Promise<void> {
    await this.stepping('mail could not be claimed; trying again', async () => {
      await this.sign('mail')
      if (await delivery.pump()) return
      await this.messages.sleep(Math.min(SLOW_POLL_MS, (await delivery.untilDue()) ?? SLOW_POLL_MS))
    })
    await delivery.settle()
  }

  private noticeLoop(clock: Clock): Promise<void> {
    return this.stepping('notices could not be given; trying again', async () => {
      if ((await giveNotices(this.pool, this.options.baseUrl, clock, this.options.headersFor)) === 0) await this.restThenSleep(this.notices)
    })
  }

  /** Tells programs elsewhere of changes. */
  private hookLoop(clock: Clock): Promise<void> {
    return this.stepping('changes could not be told to a program elsewhere; trying again', async () => {
      if (!(await tellHook(this.pool, this.options.baseUrl, clock))) await pause(HOOKS_EVERY_MS)
      return undefined
    })
  }

  private accountMailLoop(): Promise<void> {
    return this.stepping('mail about accounts could not be given; trying again', async () => {
      if ((await giveAccountMail(this.pool, this.outlet.transport(), this.options.baseUrl)) === 0) await this.restThenSleep(this.accountMail)
    })
  }

  private async restThenSleep(bell: Bell): Promise<void> {
    await pause(NEXT_NOTICES_MS)
    await bell.sleep(SLOW_POLL_MS)
  }

  /** Takes mail that comes back; a mailbox is read by one worker at a time, a port is listened on by the first that gets it. */
  private async bounceLoop(bounces: Bounces): Promise<void> {
    let last = 0
    let fault = ''
    while (this.isRunning()) {
      await pause(250)
      if (Date.now() - last < LOOK_FOR_BOUNCES_MS) continue
      last = Date.now()
      try {
        if (!bounces.isShared || (await this.leadsIn('mailbox'))) await bounces.look()
        fault = ''
      } catch (error) {
        const said = faultOf(error)
        if (said !== fault && !said.includes('EADDRINUSE')) this.options.log.warn({ error: said }, 'mail that comes back could not be had; trying again')
        fault = said
      }
    }
    await bounces.stop()
  }

  private async buryLoop(delivery: Delivery): Promise<void> {
    let last = Date.now()
    while (this.isRunning()) {
      await pause(250)
      if (Date.now() - last < BURY_EVERY_MS) continue
      last = Date.now()
      try {
        if ((await buryWorkers(this.pool)) > 0) this.messages.ring()
        await this.takeUpServer()
        await delivery.probe()
      } catch {
        // the database is away; the next round asks again
      }
    }
  }
}

function shuffled<T>(list: readonly T[]): T[] {
  return list
    .map((item) => ({ item, rank: Math.random() }))
    .sort((a, b) => a.rank - b.rank)
    .map(({ item }) => item)
}
