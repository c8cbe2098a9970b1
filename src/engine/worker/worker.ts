import { setTimeout as pause } from 'node:timers/promises'
import type { Pool } from 'pg'
import { createPool } from '@/store/database'
import { giveSign } from '@/store/health'
import { readAsleep, settleIn } from '@/store/place'
import { buryWorkers, unregisterWorker } from '@/store/workers'
import type { Clock } from '../clock'
import { DatabaseClock } from '../database-clock'
import { Meter } from '../meter'
import { ChangePart } from './change-part'
import { Listening } from './listening'
import { Loops } from './loops'
import { MailPart } from './mail-part'
import { EVERYTHING, type WorkerOptions, type WorkerPart } from './options'
import { SLOW_POLL_MS, type Workplace } from './workplace'

/** How often a part notes that it goes round; health takes one that did not for a minute for gone. */
const SIGN_EVERY_MS = 5_000

/** How often the database is asked what time it is. */
const ASK_TIME_EVERY_MS = 5_000

/** How often what a process measures is kept. */
const MEASURE_EVERY_MS = 15_000

/**
 * One worker: listens, handles changes, delivers mail.
 * Modes: starting (until registered), running, stopping (finishes what it holds), stopped. A database that goes away
 * keeps it running: each loop tries again, and the listening connection is made anew.
 */
export class Worker {
  private readonly pool: Pool
  private readonly meter: Meter
  private readonly loops: Loops
  private readonly listening: Listening
  private readonly parts: readonly WorkerPart[]
  private readonly signed = new Map<WorkerPart, number>()
  private mode: 'starting' | 'running' | 'stopping' | 'stopped' = 'starting'
  private changes: ChangePart | null = null
  private mail: MailPart | null = null

  constructor(private readonly options: WorkerOptions) {
    const { databaseUrl, log, parts = EVERYTHING } = options
    this.parts = parts
    const goOn = () => this.mode === 'running'
    this.pool = createPool(databaseUrl, { max: 8, name: 'rappel worker', plansOnce: true })
    this.meter = new Meter(this.pool, parts.length === 1 ? (parts[0] ?? 'all') : 'all')
    this.loops = new Loops(goOn, log)
    this.listening = new Listening({ databaseUrl, parts, log, goOn, onNotice: (channel) => this.hear(channel), onBack: () => this.ring() })
  }

  /** Registers and starts the loops; in a restored installation those begin once somebody says so. */
  async start(): Promise<void> {
    await settleIn(this.pool)
    await this.listening.start()
    await buryWorkers(this.pool)
    this.mode = 'running'
    if ((await readAsleep(this.pool)) === null) return this.begin()
    this.options.log.warn('this installation was restored from a copy: nothing is decided or sent before somebody says so, on its first page or by npm run rappel -- wake')
    this.loops.add(this.waitUntilAwake())
  }

  /** Finishes what it holds and stops. */
  async stop(): Promise<void> {
    if (this.mode !== 'running') return
    this.mode = 'stopping'
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
    loops.add(this.every(MEASURE_EVERY_MS, 'what was measured could not be kept; trying again', () => meter.keep()))
    await this.mail?.begin()
    await this.changes?.begin()
    log.info({ worker: listening.id }, 'worker started')
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
