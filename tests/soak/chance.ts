/** Chance that begins from a seed, so that a run can be had again as far as processes allow (mulberry32, public domain; from memory). */
export class Chance {
  private state: number

  constructor(seed: number) {
    this.state = seed >>> 0
  }

  /** From 0 up to but not 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0
    let t = this.state
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296
  }

  below(n: number): number {
    return Math.floor(this.next() * n)
  }

  pick<T>(list: readonly T[]): T {
    return list[this.below(list.length)] as T
  }

  happens(probability: number): boolean {
    return this.next() < probability
  }
}

export const pause = (milliseconds: number) => new Promise<void>((resolve) => setTimeout(resolve, milliseconds))
