import { hostname } from 'node:os'
import { type IntervalHistogram, monitorEventLoopDelay } from 'node:perf_hooks'
import type { Pool } from 'pg'
import { Counter, collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client'
import { readWaits, type Waits } from '@/store/health'
import { keepMeter } from '@/store/meters'
import { Seldom } from './seldom'

const SECONDS = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60, 300, 3_600]

/** Most waits between two samples that are looked at for their middle. */
const MOST_WAITS = 10_000

/** Measures what a process does, by the names of Prometheus' text format, and keeps it where the web finds it. */
export class Meter {
  readonly registry = new Registry()
  private readonly counters = {
    handled: new Counter({ name: 'rappel_changes_handled_total', help: 'Changes that were decided about.', registers: [this.registry] }),
    runs: new Counter({ name: 'rappel_runs_total', help: 'Runs of workflows.', registers: [this.registry] }),
    sent: new Counter({ name: 'rappel_messages_sent_total', help: 'Messages that a mail server took.', registers: [this.registry] }),
    deferred: new Counter({ name: 'rappel_messages_deferred_total', help: 'Attempts that are made again.', registers: [this.registry] }),
    failed: new Counter({ name: 'rappel_messages_failed_total', help: 'Messages that failed for good.', registers: [this.registry] }),
  }
  private readonly acceptance = new Histogram({
    name: 'rappel_save_to_acceptance_seconds',
    help: 'From a save to the mail server’s acceptance.',
    buckets: SECONDS,
    registers: [this.registry],
  })
  private readonly attempts = new Histogram({
    name: 'rappel_delivery_attempt_seconds',
    help: 'How long handing a message over took.',
    buckets: SECONDS,
    registers: [this.registry],
  })
  private readonly loop: IntervalHistogram = monitorEventLoopDelay({ resolution: 20 })
  private waits: number[] = []
  /** What waits, as it was found last: seldom where that takes long. */
  private waiting: Waits | null = null
  private readonly looking = new Seldom(0, 30)
  private since = { handled: 0, runs: 0, sent: 0, deferred: 0, failed: 0 }

  constructor(
    private readonly pool: Pool,
    private readonly part: string,
  ) {
    collectDefaultMetrics({ register: this.registry })
    const { registry } = this
    new Gauge({
      name: 'rappel_pool_connections',
      help: 'Connections to the database.',
      labelNames: ['state'],
      registers: [registry],
      collect() {
        this.set({ state: 'idle' }, pool.idleCount)
        this.set({ state: 'busy' }, pool.totalCount - pool.idleCount)
        this.set({ state: 'waiting' }, pool.waitingCount)
      },
    })
    this.loop.enable()
  }

  count(what: keyof Meter['counters'], n = 1): void {
    this.counters[what].inc(n)
    this.since[what] += n
  }

  /** Notes an acceptance, so many milliseconds after the save. */
  accepted(milliseconds: number): void {
    this.acceptance.observe(milliseconds / 1_000)
    if (this.waits.length < MOST_WAITS) this.waits.push(milliseconds)
  }

  /** Notes how long an attempt took. */
  tried(milliseconds: number): void {
    this.attempts.observe(milliseconds / 1_000)
  }

  /** Keeps what was measured, and begins anew. @throws Error where the database is away */
  async keep(): Promise<void> {
    const waits = this.waits.sort((a, b) => a - b)
    const { since } = this
    if (this.part !== 'mail' && this.looking.isDue) this.waiting = await this.looking.do(() => readWaits(this.pool))
    const { waiting } = this
    const sample = {
      ...since,
      half: waits[Math.floor(waits.length / 2)] ?? null,
      most: waits[Math.min(waits.length - 1, Math.floor(waits.length * 0.99))] ?? null,
      loop: Math.round(this.loop.max / 1e6),
      memory: process.memoryUsage.rss(),
      waiting: this.pool.waitingCount,
      backlog: waiting?.backlog ?? null,
      oldestChange: waiting && (waiting.oldestChange ?? 0),
      oldestMessage: waiting && (waiting.oldestMessage ?? 0),
    }
    this.waits = []
    this.since = { handled: 0, runs: 0, sent: 0, deferred: 0, failed: 0 }
    this.loop.reset()
    await keepMeter(this.pool, `${hostname()} ${process.pid} ${this.part}`, this.part, await this.registry.getMetricsAsJSON(), sample)
  }

  stop(): void {
    this.loop.disable()
    this.registry.clear()
  }
}
