import { setTimeout as pause } from 'node:timers/promises'
import type { Pool } from 'pg'
import { whyAsleep } from '@/core/words/asleep'
import { placesOf } from '@/store/addresses'
import { createPool, type Queryable, sessionUrl } from '@/store/database'
import { giveSign } from '@/store/health'
import { fallBack, findPlace, readAsleep, settleIn } from '@/store/place'
import { buryWorkers, unregisterWorker } from '@/store/workers'
import type { Clock } from '../clock'
import { DatabaseClock } from '../database-clock'
import { Meter } from '../meter'
import { ChangePart } from './change-part'
import { Listening } from './listening'
import { Loops } from './loops'
import { MailPart } from './mail-part'
import { EVERYTHING, type WorkerOptions, type WorkerPart } from './options'
import { Remembered } from './remembered'
import { SLOW_POLL_MS, type Workplace } from './workplace'

/** How often a part notes that it goes round; health takes one that did not for a minute for gone. */
const SIGN_EVERY_MS = 5_000

/** How often it is looked whether the database is as it was; each new connection looks besides. */
const LOOK_BACK_EVERY_MS = 5_000

/** How often the database is asked what time it is. */
const ASK_TIME_EVERY_MS = 5_000

/** How often what a process measures is kept. */
const MEASURE_EVERY_MS = 15_000

/**
 * One worker: listens, handles changes, delivers mail.
 * Modes: starting (until registered), running, stopping (finishes what it holds), stopped; halted, where the database is not as it was. A database that goes away
 * keeps it running: each loop tries again, and the listening connection is made anew.
 */
export class Worker {
  private readonly pool: Pool
  private readonly meter: Meter
  private readonly loops: Loops
  private readonly listening: Listening
  private readonly parts: readonly WorkerPart[]
  private readonly signed = new Map<WorkerPart, number>()
  private mode: 'starting' | 'running' | 'stopping' | 'halted' | 'stopped' = 'starting'
  private changes: ChangePart | null = null
  private mail: MailPart | null = null
  private remembered: Remembered | null = null
  private waking: Promise<void> | null = null

  constructor(private readonly options: WorkerOptions) {
    const { databaseUrl, log, parts = EVERYTHING } = options
    this.parts = parts
    const goOn = () => this.mode === 'running'
    this.pool = createPool(databaseUrl, { max: 8, name: 'rappel worker', plansOnce: true, verify: (db) => this.lookBack(db) })
    this.meter = new Meter(this.pool, parts.length === 1 ? (parts[0] ?? 'all') : 'all')
    this.loops = new Loops(goOn, log)
    this.listening = new Listening({ databaseUrl, parts, log, goOn, onNotice: (channel) => this.hear(channel), onBack: () => void this.comeBack() })
  }

  /** Registers and starts the loops; in a restored installation those begin once somebody says so. */
  async start(): Promise<void> {
    const { databaseUrl, home, mostLost, log } = this.options
    const remembered = await Remembered.open(home, mostLost)
    const places = placesOf([databaseUrl, sessionUrl(databaseUrl)], home)
    await settleIn(this.pool, { places, seen: remembered.seen })
    await remembered.note(await findPlace(this.pool))
    this.remembered = remembered
    await this.listening.start()
    await buryWorkers(this.pool)
    this.mode = 'running'
    const asleep = await readAsleep(this.pool)
    if (asleep === null) return this.begin()
    log.warn({ places }, `${whyAsleep(asleep.why)} Nothing is decided or sent before somebody says so, on its first page or by npm run rappel -- wake`)
    this.waking = this.waitUntilAwake()
    this.loops.add(this.waking)
  }

  /** Finishes what it holds and stops. */
  async stop(): Promise<void> {
    if (this.mode !== 'running' && this.mode !== 'halted') return
    this.mode = 'stopping'
    await this.waking?.catch(() => undefined) // what it begins once it is awake is there to be ended
    this.ring()
    this.changes?.ringMoments()
    await this.changes?.callOff()
    await this.loops.ended()
    await this.changes?.close()
    await unregisterWorker(this.pool, this.listening.id).catch(() => undefined)
    await this.listening.end()
    this.mail?.close()
    this.meter.stop()
    await this.pool.end()
    this.mode = 'stopped'
  }

  private async waitUntilAwake(): Promise<void> {
    while (this.loops.goOn()) {
      await pause(SLOW_POLL_MS)
      const asleep = await readAsleep(this.pool).catch(() => 'unknown' as const)
      if (asleep === null && this.loops.goOn()) return this.begin()
    }
  }

  private async begin(): Promise<void> {
    const { options, parts, pool, loops, listening, meter } = this
    const { log } = options
    const at: Workplace = {
      options,
      pool,
      clock: options.clock ?? (await this.databaseClock()),
      loops,
      listening,
      meter,
      tell: (what, about) => log.warn(about, what),
      sign: (part) => this.sign(part),
    }
    if (parts.includes('mail')) this.mail = new MailPart(at)
    if (parts.includes('changes')) this.changes = new ChangePart(at)
    loops.add(this.every(LOOK_BACK_EVERY_MS, 'whether the database is as it was could not be seen; trying again', () => this.lookBack(pool)))
    loops.add(this.every(MEASURE_EVERY_MS, 'what was measured could not be kept; trying again', () => meter.keep()))
    await this.mail?.begin()
    await this.changes?.begin()
    log.info({ worker: listening.id }, 'worker started')
  }

  /** Looks whether the database is as it was. Where it was put back to an earlier state, or fell asleep by what others found, the worker halts. @throws Error then, so that nothing is done with it */
  private async lookBack(db: Queryable): Promise<void> {
    const { remembered } = this
    if (this.mode !== 'running' || !remembered) return
    const found = await findPlace(db)
    const is = remembered.compare(found)
    if (is === 'as it was') return remembered.note(found)
    if (is === 'put back' && remembered.seen) await fallBack(db, found, remembered.seen)
    const sentence = is === 'put back' ? whyAsleep('put back') : 'The installation fell asleep: nothing is decided or sent before somebody says so.'
    this.halt(sentence)
    throw new Error(sentence)
  }

  /** Several connections may find the same at once. */
  private halt(sentence: string): void {
    if (this.mode !== 'running') return
    this.mode = 'halted'
    this.options.log.error(sentence)
    this.options.onHalt?.()
  }

  /** The listening connection is there again, perhaps to a database that is not as it was. */
  private async comeBack(): Promise<void> {
    await this.lookBack(this.pool).catch(() => undefined) // what halted it is told; what is away is looked at again
    if (this.loops.goOn()) this.ring()
  }

  private ring(): void {
    this.changes?.ring()
    this.mail?.ring()
  }

  private hear(channel: string): void {
    const isGeneration = channel === 'rappel_generation'
    if (isGeneration) this.mail?.takeUpServer().catch(() => undefined) // the next look takes it up
    if (isGeneration || channel === 'rappel_moment') this.changes?.ringMoments()
    if (channel === 'rappel_message') this.mail?.ring()
    else this.changes?.ring()
  }

  private async sign(part: WorkerPart): Promise<void> {
    const now = performance.now()
    if (now - (this.signed.get(part) ?? Number.NEGATIVE_INFINITY) < SIGN_EVERY_MS) return
    this.signed.set(part, now)
    await giveSign(this.pool, part)
  }

  private async databaseClock(): Promise<Clock> {
    const clock = await DatabaseClock.of(this.pool)
    this.loops.add(this.every(ASK_TIME_EVERY_MS, 'the database could not be asked what time it is; trying again', () => clock.ask()))
    return clock.now
  }

  /** Does something again and again as long as the worker runs, first when it has run for so long. */
  private every(milliseconds: number, fault: string, deed: () => Promise<void>): Promise<void> {
    return this.loops.step(fault, async () => {
      await this.loops.rest(milliseconds)
      if (this.loops.goOn()) await deed()
      return undefined
    })
  }
}
