import { setTimeout as pause } from 'node:timers/promises'
import { must } from '@/core/must'
import { hasToMove, moveNext } from '@/store/moving'
import { wakeWorkers } from '@/store/workers'
import { Apart } from '../apart/apart'
import { Follower } from '../attached'
import { Bell } from '../bell'
import { Inbox } from '../bulk/inbox'
import { Dispatcher } from '../dispatch'
import { Figures } from '../figures/figures'
import { startHousekeeping } from '../housekeeping'
import { Held } from '../limits/held'
import { LiveReview } from '../live-review'
import type { Source } from '../occasions/source'
import { Stays } from '../occasions/stays'
import { Timetables } from '../occasions/timetables'
import { ChannelTroubles } from '../trouble/by-channel'
import { Troubles } from '../trouble/by-mail'
import { WaitingRuns } from '../waiting'
import { Sleeper } from './sleeper'
import { SLOW_POLL_MS, type Workplace } from './workplace'

/** Shards with something to handle from which on the other workers are woken too. */
const MANY_SHARDS = 2

/** How often the folders of imports are looked into. */
const LOOK_INTO_INBOX_MS = 1_000

/** How often it is looked whether owners of attached tables changed them. */
const LOOK_AT_ATTACHED_MS = 1_000

/** How long after a round that left nothing the next one begins, so that what comes meanwhile is handled together: a round costs as much as many changes. */
const NEXT_ROUND_MS = 12

/** How long after figures were looked at they are looked at again. */
const NEXT_FIGURES_MS = 100

/** How soon is looked again where something is due and could not be handled: another worker has it, or changes before it are still to be handled. */
const HELD_UP_MS = 100

/** How soon is looked again where shards are busy and none could be taken. */
const TAKEN_MS = 20

/** How often it is looked for runs that wait. */
const LOOK_FOR_WAITING_MS = 250

/** How soon live workflows are gone through after something changed. */
const REVIEW_EVERY_MS = 2_000

/** How soon it is looked again whether something is wrong that is to be told. */
const LOOK_FOR_TROUBLE_MS = 5_000

/** How many times as long as a look took that nobody waits for nothing of the kind is done. */
const LOOK_RESTS = 20

/** Waiting runs that are worked out at once, each in a process of its own. */
const WAITING_AT_ONCE = 2

/** The part of a worker that decides: what comes of changes, of the clock and of presses; and keeps the house. */
export class ChangePart {
  private readonly changes = new Bell()
  /** Rung where there were changes: figures move then. */
  private readonly moved = new Bell()
  /** A bell for each source of moments, in their order. */
  private readonly moments = [new Bell(), new Bell(), new Bell(), this.moved, new Bell()] as const
  private readonly sleeper: Sleeper
  private readonly apart: Apart
  private readonly dispatcher: Dispatcher
  private readonly figures: Figures
  private stopHousekeeping: () => Promise<void> = async () => undefined

  constructor(private readonly at: Workplace) {
    const { pool, clock, tell, options } = at
    const { databaseUrl, baseUrl, apartMemory } = options
    this.sleeper = new Sleeper(databaseUrl, this.changes)
    this.apart = new Apart({ databaseUrl, baseUrl, processes: WAITING_AT_ONCE, memory: apartMemory })
    this.dispatcher = new Dispatcher(pool, baseUrl, clock, tell, this.apart)
    this.figures = new Figures(pool, this.dispatcher, clock)
  }

  async begin(): Promise<void> {
    const { pool, tell, clock, loops, options } = this.at
    loops.add(
      this.dispatchLoop(),
      ...this.waitingLoops(),
      ...this.momentLoops(),
      this.movingLoop(),
      this.attachedLoop(new Follower(pool, tell, options.baseUrl)),
      this.reviewLoop(new LiveReview(pool, clock, tell)),
      this.troubleLoop(new Troubles(pool, options.baseUrl, clock, tell, options.gatherTroubleMs)),
      this.troubleLoop(new ChannelTroubles(pool, options.baseUrl, clock, tell, { gatherMs: options.gatherTroubleMs, headersFor: options.headersFor })),
    )
    if (options.home) loops.add(this.inboxLoop(new Inbox(pool, options.home, tell)))
    this.stopHousekeeping = await startHousekeeping(options.databaseUrl, options.log, this.figures)
  }

  /** To be called when changes may be there. */
  ring(): void {
    this.changes.ring()
  }

  /** To be called when something may be due, or be due at another time than before. */
  ringMoments(): void {
    for (const bell of this.moments) bell.ring()
  }

  /** Calls off what is worked out apart, so that the loops can end. */
  async callOff(): Promise<void> {
    this.apart.close()
    await this.stopHousekeeping()
  }

  /** To be called once the loops have ended. */
  close(): Promise<void> {
    return this.sleeper.end()
  }

  private dispatchLoop(): Promise<void> {
    const { pool, loops, meter, sign } = this.at
    const { dispatcher, sleeper } = this
    return loops.step('changes could not be handled; trying again', async () => {
      await sign('changes')
      const busy = shuffled(await dispatcher.busyShards())
      if (busy.length > MANY_SHARDS && sleeper.wakesOthers()) await wakeWorkers(pool)
      let handled = await dispatcher.handleShards(busy, loops.goOn, (done) => meter.count('runs', done.runs))
      if (loops.goOn()) handled += await dispatcher.handleLate()
      if (handled > 0) {
        meter.count('handled', handled)
        sleeper.getUp()
        this.moved.ring()
        if (!dispatcher.isBehind) await pause(NEXT_ROUND_MS)
      } else if (busy.length) await this.changes.sleep(TAKEN_MS)
      else {
        sleeper.lieDown()
        await this.changes.sleep(SLOW_POLL_MS)
      }
    })
  }

  /** Runs that wait are worked out two at a time, so that one which takes long does not keep all others waiting. */
  private waitingLoops(): Promise<void>[] {
    const waiting = this.waitingRuns()
    return Array.from({ length: WAITING_AT_ONCE }, () => this.waitingLoop(waiting))
  }

  private waitingRuns(): WaitingRuns {
    return new WaitingRuns(this.at.pool, this.dispatcher, this.apart, this.at.clock)
  }

  private async waitingLoop(waiting: WaitingRuns): Promise<void> {
    const { loops, options } = this.at
    while (loops.goOn()) {
      await pause(LOOK_FOR_WAITING_MS)
      try {
        while (loops.goOn() && (await waiting.tryOne()));
      } catch (error) {
        // the database is away or busy; the next round tries again
        if (loops.goOn()) options.log.warn({ error: String(error) }, 'a waiting run could not be tried; trying again')
      }
    }
  }

  /** What comes by the clock, and what is pressed: each source has a loop of its own, which sleeps until its next is due. */
  private momentLoops(): Promise<void>[] {
    const { pool, clock, tell } = this.at
    const { dispatcher } = this
    const waiting = this.waitingRuns()
    const presses: Source = { next: () => Promise.resolve(null), handle: () => waiting.tryPressed() }
    const held = new Held(pool, dispatcher, clock, tell)
    const sources = [new Stays(pool, dispatcher, clock, tell), this.ofLeader(new Timetables(pool, dispatcher, clock, tell)), presses, this.ofLeader(this.figures), held]
    return sources.map((source, i) => this.momentLoop(source, must(this.moments[i])))
  }

  /** A source that only the leader handles. */
  private ofLeader(source: Source): Source {
    const isOurs = () => this.at.listening.leadsIn('clock')
    return { next: async () => ((await isOurs()) ? source.next() : null), handle: async () => ((await isOurs()) ? source.handle() : 0) }
  }

  private momentLoop(source: Source, bell: Bell): Promise<void> {
    const { loops, clock } = this.at
    return loops.step('what is due could not be handled; trying again', async () => {
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
    const { pool, loops, options } = this.at
    return loops.step('changes could not be moved into their log; trying again', async () => {
      if (!(await hasToMove(pool))) return 'last'
      const moved = await moveNext(pool)
      if (!moved) await pause(SLOW_POLL_MS)
      else if (moved.lookedAt === 0) options.log.info({ table: moved.table }, 'its changes are all in its log')
      else if (moved.stayed > 0) options.log.warn({ ...moved }, 'some changes stay as they were recorded, for the log would not give them back alike')
    })
  }

  /** Follows what owners do to attached tables. */
  private attachedLoop(follower: Follower): Promise<void> {
    return this.at.loops.step('an attached table could not be followed; trying again', async () => {
      if ((await follower.look()) > 0) this.changes.ring()
      await pause(LOOK_AT_ATTACHED_MS)
      return undefined
    })
  }

  /** Goes through what is live again where anything changed. */
  private reviewLoop(reviewed: LiveReview): Promise<void> {
    return this.seldomLoop('live workflows could not be gone through; trying again', REVIEW_EVERY_MS, () => reviewed.look())
  }

  /** Tells those who asked for it, or a channel, what is wrong. */
  private troubleLoop(troubles: Troubles | ChannelTroubles): Promise<void> {
    return this.seldomLoop('what is wrong could not be told; trying again', LOOK_FOR_TROUBLE_MS, () => troubles.look())
  }

  /** What only the leader looks at: every so often, and after a rest of many times as long as it took. */
  private seldomLoop(fault: string, everyMs: number, look: () => Promise<unknown>): Promise<void> {
    const { loops, listening } = this.at
    return loops.step(fault, async () => {
      const began = performance.now()
      if (await listening.leadsIn('clock')) await look()
      await loops.rest(Math.max(everyMs, LOOK_RESTS * (performance.now() - began)))
      return undefined
    })
  }

  /** Looks into the folders of imports now and then. */
  private inboxLoop(inbox: Inbox): Promise<void> {
    return this.at.loops.step('files that were laid in could not be imported; trying again', async () => {
      if ((await inbox.look()) === 0) await pause(LOOK_INTO_INBOX_MS)
      return undefined
    })
  }
}

function shuffled<T>(list: readonly T[]): T[] {
  return list
    .map((item) => ({ item, rank: Math.random() }))
    .sort((a, b) => a.rank - b.rank)
    .map(({ item }) => item)
}
