import { RateLimiterMemory } from 'rate-limiter-flexible'
import { kept } from './kept'
import { Problem } from './problem'

/** Calls that one person or token may make within ten seconds: far more than a program that keeps records up to date makes. */
const CALLS = { points: 6_000, duration: 10 }

/** Calls without sign-in that one network address may make within a minute: signing in, asking for a new password. */
const KNOCKS = { points: 300, duration: 60 }

/** Pieces of long work (rehearsals, dry runs, imports) that are done for one person at once, and that may wait for their turn. */
const AT_ONCE = 4
const WAITING = 60

/** Counts one. @throws Problem 429 with `why`, when there were too many of late */
async function take(limiter: RateLimiterMemory, who: string, why: string): Promise<void> {
  await limiter.consume(who).catch((rejected: { msBeforeNext: number }) => {
    const seconds = Math.ceil(rejected.msBeforeNext / 1_000)
    throw new Problem(429, 'Too many calls', `${why} Go on in ${seconds} s.`, {}, { 'retry-after': String(seconds) })
  })
}

/** What one web process lets one person or token do. */
export class Limits {
  private readonly calls: RateLimiterMemory
  private readonly busy = new Map<string, { running: number; waiting: (() => void)[] }>()

  constructor(private readonly most = CALLS) {
    this.calls = new RateLimiterMemory(most)
  }

  /** Counts a call. @throws Problem 429 when there were too many of late */
  async count(who: string): Promise<void> {
    await take(this.calls, who, `That were more than ${this.most.points} calls within ${this.most.duration} s.`)
  }

  /** Does long work, in turn where somebody has several under way. @throws Problem 429 when too many wait already */
  async inTurn<T>(who: string, work: () => Promise<T>): Promise<T> {
    const state = this.busy.get(who) ?? { running: 0, waiting: [] }
    this.busy.set(who, state)
    if (state.running >= AT_ONCE) {
      if (state.waiting.length >= WAITING)
        throw new Problem(
          429,
          'Too much at once',
          `You have ${AT_ONCE} rehearsals, dry runs or imports under way and ${WAITING} waiting. Wait for some of them.`,
          {},
          { 'retry-after': '5' },
        )
      await new Promise<void>((resolve) => state.waiting.push(resolve)) // whoever ends hands its turn on
    } else state.running++
    try {
      return await work()
    } finally {
      const next = state.waiting.shift()
      if (next) next()
      else if (--state.running === 0) this.busy.delete(who)
    }
  }
}

/** The limits of this web process. */
export function limits(): Limits {
  return kept('limits', () => new Limits())
}

/** Counts a call of somebody who is not signed in. @throws Problem 429 when there were too many of late from the same network address */
export async function countKnock(caller: string): Promise<void> {
  await take(
    kept('knocks', () => new RateLimiterMemory(KNOCKS)),
    caller,
    `Too much was asked from ${caller}.`,
  )
}
