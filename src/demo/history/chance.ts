import { randomLcg } from 'd3'
import { must } from '@/core/must'

/** Seeded chance: the same seed makes the same history. */
export class Chance {
  private readonly next: () => number

  constructor(seed: number) {
    this.next = randomLcg(seed)
  }

  /** Whether something of this probability happens. */
  happens(probability: number): boolean {
    return this.next() < probability
  }

  /** A whole number from low to high, both included. */
  whole(low: number, high: number): number {
    return low + Math.floor(this.next() * (high - low + 1))
  }

  /** One of a list. */
  one<T>(list: readonly T[]): T {
    return must(list[Math.floor(this.next() * list.length)])
  }

  /** One of a list, the first likelier than the last. */
  early<T>(list: readonly T[]): T {
    return must(list[Math.floor(this.next() ** 2 * list.length)])
  }

  /** An amount of money between bounds, most of them low. */
  money(low: number, high: number): number {
    return Math.round((low + (high - low) * this.next() ** 3) * 100) / 100
  }
}
