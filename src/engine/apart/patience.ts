/** How long a work may evaluate what people wrote: one run, and all of them together, in milliseconds of evaluating. */
export interface Patience {
  readonly one: number
  readonly all: number
}

/** How long is taken where nobody else waits behind it. */
export const APART: Patience = { one: 5_000, all: 20_000 }

/** How long one run for real may take to work out, where it holds nobody up: enough for thousands of mails, one each. */
export const ALONE: Patience = { one: 60_000, all: 60_000 }

/** Measures how long a work has evaluated so far, and tells when its patience is at an end. */
export class Stopwatch {
  private spent = 0

  constructor(readonly patience: Patience) {}

  /** Does one evaluation, telling it whether its time is up. */
  time<T>(work: (isOver: () => boolean) => T): T {
    const { one, all } = this.patience
    const started = performance.now()
    const end = started + Math.min(one, all - this.spent)
    try {
      return work(() => performance.now() > end)
    } finally {
      this.spent += performance.now() - started
    }
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
