/** What was counted in less is counted anew at each look. */
const QUICK_MS = 150

/** What took longer is good for so many times as long as it took, at most for a minute. */
const TIMES = 60
const MOST_MS = 60_000

interface Last<T> {
  readonly of: number
  readonly value: T
  readonly at: number
  readonly goodFor: number
}

/**
 * What is counted over weeks of mail, so that a large installation does not count it at each look: what took long is shown again for a while; once that is over it is shown once more while
 * it is counted anew, or counted at once where that is long past. One after the other, whoever asks meanwhile.
 */
export class Counted<T> {
  private last: Last<T> | null = null
  private running: { readonly of: number; readonly value: Promise<T> } | null = null

  /** `count` answers for a number, such as a day's beginning in milliseconds: what was counted for another is of no use. */
  constructor(
    private readonly count: (of: number) => Promise<T>,
    private readonly clock: () => number = () => performance.now(),
  ) {}

  /** @throws what counting throws */
  async get(of = 0): Promise<T> {
    const { last } = this
    const age = last && last.of === of ? this.clock() - last.at : Number.POSITIVE_INFINITY
    if (last && age < last.goodFor) return last.value
    const counting = this.anew(of)
    if (!last || age >= 2 * last.goodFor) return counting
    counting.catch(() => undefined) // the next look tries again
    return last.value
  }

  private anew(of: number): Promise<T> {
    if (this.running?.of === of) return this.running.value
    const began = this.clock()
    const value = this.count(of).then((counted) => {
      const took = this.clock() - began
      this.last = { of, value: counted, at: this.clock(), goodFor: took < QUICK_MS ? 0 : Math.min(MOST_MS, TIMES * took) }
      return counted
    })
    const running = { of, value }
    this.running = running
    const end = () => {
      if (this.running === running) this.running = null
    }
    value.then(end, end)
    return value
  }
}
