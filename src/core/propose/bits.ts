/** A set of whole numbers below a size, a bit for each. */
export class Bits {
  constructor(
    readonly size: number,
    readonly words: Uint32Array = new Uint32Array((size + 31) >>> 5),
  ) {}

  /** The set of those that a test lets through. */
  static of(size: number, test: (i: number) => boolean): Bits {
    const bits = new Bits(size)
    for (let i = 0; i < size; i++) if (test(i)) bits.add(i)
    return bits
  }

  add(i: number): void {
    const word = i >>> 5
    this.words[word] = this.word(word) | (1 << (i & 31))
  }

  has(i: number): boolean {
    return (this.word(i >>> 5) & (1 << (i & 31))) !== 0
  }

  and(other: Bits): Bits {
    return this.with(other, (a, b) => a & b)
  }

  or(other: Bits): Bits {
    return this.with(other, (a, b) => a | b)
  }

  without(other: Bits): Bits {
    return this.with(other, (a, b) => a & ~b)
  }

  count(): number {
    let sum = 0
    for (let word of this.words) {
      word -= (word >>> 1) & 0x55555555
      word = (word & 0x33333333) + ((word >>> 2) & 0x33333333)
      sum += (((word + (word >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24
    }
    return sum
  }

  /** Whether every member of another is one of this. */
  includes(other: Bits): boolean {
    return other.words.every((word, i) => (word & ~this.word(i)) === 0)
  }

  /** Whether none is a member of both. */
  isApartFrom(other: Bits): boolean {
    return other.words.every((word, i) => (word & this.word(i)) === 0)
  }

  /** The same for equal sets, and hardly ever for others. */
  key(): string {
    let [a, b] = [0x811c9dc5, 0x01000193]
    for (const word of this.words) {
      a = Math.imul(a ^ word, 0x01000193)
      b = Math.imul(b + word, 0x5bd1e995) ^ (b >>> 13)
    }
    return `${this.count()} ${a} ${b}`
  }

  /** Calls for each member, in order. */
  each(tell: (i: number) => void): void {
    this.words.forEach((word, at) => {
      for (let rest = word; rest !== 0; rest &= rest - 1) tell(at * 32 + (31 - Math.clz32(rest & -rest)))
    })
  }

  private word(i: number): number {
    return this.words[i] ?? 0
  }

  private with(other: Bits, join: (a: number, b: number) => number): Bits {
    return new Bits(
      this.size,
      this.words.map((word, i) => join(word, other.word(i))),
    )
  }
}
