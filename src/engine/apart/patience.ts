/** How long a work may evaluate what people wrote: one run, and all of them together, in milliseconds of evaluating. */
export interface Patience {
  readonly one: number
  readonly all: number
}

/** How long a workflow may be worked out while other changes wait behind it: one run, and all of a batch. What takes longer goes on apart. */
export const LIVE: Patience = { one: 200, all: 400 }

/** The same for one that took longer not long ago: what is quickly told is told, the rest goes on apart at once. */
export const LIVE_AGAIN: Patience = { one: 5, all: 50 }

/** How long is taken where nobody else waits behind it. */
export const APART: Patience = { one: 3_000, all: 10_000 }

/** How long one run for real may take to work out, where it holds nobody up: enough for thousands of mails, one each. */
export const ALONE: Patience = { one: 60_000, all: 60_000 }

/** What this process worked so far, in milliseconds of the processors' time. */
function worked(): number {
  const { user, system } = process.cpuUsage()
  return (user + system) / 1_000
}

/**
 * Measures how long a work has evaluated so far, and tells when its patience is at an end: by the clock, less what the processors gave to others meanwhile, so that a machine with much else to
 * do ends nothing that would be done in time on one by itself.
 */
export class Stopwatch {
  /** Milliseconds spent so far, by the clock. */
  spent = 0
  private readonly workedBefore = worked()

  constructor(readonly patience: Patience) {}

  /** Does one evaluation, telling it whether its time is up. */
  time<T>(work: (isOver: () => boolean) => T): T {
    const { one, all } = this.patience
    const started = performance.now()
    let workedAtFirst: number | null = null // of what is over before it asks, nobody wants to know
    try {
      return work(() => {
        workedAtFirst ??= worked()
        const taken = performance.now() - started
        if (taken > one && worked() - workedAtFirst > one) return true
        return this.spent + taken > all && worked() - this.workedBefore > all
      })
    } finally {
      this.spent += performance.now() - started
    }
  }
}

/** How long a workflow that took long is known for it, in milliseconds. */
const KNOWN_MS = 60_000

/** The workflows that took long of late, so that they do not hold up every batch anew. */
export class SlowOnes {
  private readonly until = new WeakMap<object, number>()

  /** Notes that one took long. */
  note(one: object): void {
    this.until.set(one, performance.now() + KNOWN_MS)
  }

  has(one: object): boolean {
    return (this.until.get(one) ?? 0) > performance.now()
  }
}

/** Longest that a loop goes on before others get their turn. */
const TURN_MS = 15

/** Lets others have their turn now and then in a long loop. */
export class Turns {
  private since = performance.now()

  /** Waits for the others where this loop has had its turn. */
  async next(): Promise<void> {
    if (performance.now() - this.since < TURN_MS) return
    await new Promise((resolve) => setImmediate(resolve))
    this.since = performance.now()
  }
}
