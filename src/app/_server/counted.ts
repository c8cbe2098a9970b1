/** What was counted in less is counted anew at each look. */
const QUICK_MS = 150

/** How long what took longer is good: some times as long as it took, at most a while. */
export interface GoodFor {
  readonly times: number
  readonly mostMs: number
}

/** To count it takes no more than a sixtieth of one processor's time. */
const LONG: GoodFor = { times: 60, mostMs: 600_000 }

/** What is quickly counted and may be old is shown for so long. */
const OLD_MS = 60_000

/** What may be old is counted anew once the page that asked for it is there. */
const AFTER_THE_PAGE_MS = 400

/** What nobody waits for is counted one after the other: all at once, that took whole machines from whoever decides and delivers, for seconds at a time. */
let lane: Promise<unknown> = Promise.resolve()

function inTurn<T>(work: () => Promise<T>): Promise<T> {
  const turn = lane.then(work)
  lane = turn.catch(() => undefined)
  return turn
}

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
  private running: { readonly of: number; readonly value: Promise<T>; readonly isUnhurried: boolean } | null = null
  private isPutOff = false

  /** `count` answers for a number, such as a day's beginning in milliseconds: what was counted for another is of no use. It is told whether nobody waits for it. */
  constructor(
    private readonly count: (of: number, isUnhurried: boolean) => Promise<T>,
    private readonly clock: () => number = () => performance.now(),
    private readonly goodFor = LONG,
  ) {}

  /** `mayBeOld`: whether what was counted last, where it is not a minute old, may be shown, however quickly it is counted, and be counted anew afterwards. @throws what counting throws */
  async get(of = 0, mayBeOld: (last: T) => boolean = () => false): Promise<T> {
    const { last } = this
    const age = last && last.of === of ? this.clock() - last.at : Number.POSITIVE_INFINITY
    if (last && age < last.goodFor) return last.value
    const isOldFine = last !== null && mayBeOld(last.value)
    if (!last || age >= Math.max(2 * last.goodFor, isOldFine ? OLD_MS : 0)) return this.anew(of, false)
    if (isOldFine) this.putOff(of)
    else this.inPassing(of)
    return last.value
  }

  private inPassing(of: number): void {
    this.anew(of, true).catch(() => undefined) // the next look tries again
  }

  private putOff(of: number): void {
    if (this.isPutOff) return
    this.isPutOff = true
    setTimeout(() => {
      this.isPutOff = false
      this.inPassing(of)
    }, AFTER_THE_PAGE_MS).unref()
  }

  private anew(of: number, isUnhurried: boolean): Promise<T> {
    // whoever waits does not wait for what is counted in its turn
    if (this.running?.of === of && (isUnhurried || !this.running.isUnhurried)) return this.running.value
    const counting = async () => {
      const began = this.clock()
      const counted = await this.count(of, isUnhurried)
      const took = this.clock() - began
      this.last = { of, value: counted, at: this.clock(), goodFor: took < QUICK_MS ? 0 : Math.min(this.goodFor.mostMs, this.goodFor.times * took) }
      return counted
    }
    const value = isUnhurried ? inTurn(counting) : counting()
    const running = { of, value, isUnhurried }
    this.running = running
    const end = () => {
      if (this.running === running) this.running = null
    }
    value.then(end, end)
    return value
  }
}
