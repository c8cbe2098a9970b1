/** Looked up once: where these are used as often as here, a look for a global counts. */
const { imul, clz32 } = Math

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

  /** The set of those whose place among some passes. */
  static byPlace(places: Int32Array, passes: Uint8Array): Bits {
    const bits = new Bits(places.length)
    for (let at = 0; at < bits.words.length; at++) {
      const [from, to] = [at * 32, Math.min(places.length, at * 32 + 32)]
      let word = 0
      for (let i = from; i < to; i++) word |= (passes[places[i] ?? 0] ?? 0) << (i & 31)
      bits.words[at] = word
    }
    return bits
  }

  /** The set of some. */
  static among(size: number, members: Iterable<number>): Bits {
    const bits = new Bits(size)
    for (const i of members) bits.add(i)
    return bits
  }

  add(i: number): void {
    const at = i >>> 5
    this.words[at] = this.at(at) | (1 << (i & 31))
  }

  has(i: number): boolean {
    return (this.at(i >>> 5) & (1 << (i & 31))) !== 0
  }

  and(other: Bits): Bits {
    const found = new Bits(this.size)
    for (let i = 0; i < found.words.length; i++) found.words[i] = this.at(i) & other.at(i)
    return found
  }

  /** Makes this what is in any of some others. */
  toAny(any: readonly Bits[]): void {
    this.words.fill(0)
    for (const { words } of any) for (let i = 0; i < this.words.length; i++) this.words[i] = this.at(i) | (words[i] ?? 0)
  }

  or(other: Bits): Bits {
    const found = new Bits(this.size)
    for (let i = 0; i < found.words.length; i++) found.words[i] = this.at(i) | other.at(i)
    return found
  }

  without(other: Bits): Bits {
    const found = new Bits(this.size)
    for (let i = 0; i < found.words.length; i++) found.words[i] = this.at(i) & ~other.at(i)
    return found
  }

  count(): number {
    let sum = 0
    for (let i = 0; i < this.words.length; i++) sum += bitsIn(this.at(i))
    return sum
  }

  /** How many members are also some of another. */
  countWith(other: Bits): number {
    let sum = 0
    for (let i = 0; i < this.words.length; i++) sum += bitsIn(this.at(i) & other.at(i))
    return sum
  }

  /** Whether every member of another is one of this. */
  includes(other: Bits): boolean {
    for (let i = 0; i < this.words.length; i++) if ((other.at(i) & ~this.at(i)) !== 0) return false
    return true
  }

  /** Whether a member is one of another too, which may be of more. */
  meets(other: Bits): boolean {
    for (let i = 0; i < this.words.length; i++) if ((other.at(i) & this.at(i)) !== 0) return true
    return false
  }

  /** The same for equal sets, and hardly ever for others. */
  key(): string {
    let [a, b] = [0x811c9dc5, 0x01000193]
    for (let i = 0; i < this.words.length; i++) {
      a = imul(a ^ this.at(i), 0x01000193)
      b = imul(b + this.at(i), 0x5bd1e995) ^ (b >>> 13)
    }
    return `${a} ${b}`
  }

  /** The members, in order. */
  members(): number[] {
    const members: number[] = []
    this.each((i) => members.push(i))
    return members
  }

  /** Calls for each member, in order. */
  each(tell: (i: number) => void): void {
    for (let at = 0; at < this.words.length; at++) for (let rest = this.at(at); rest !== 0; rest &= rest - 1) tell(at * 32 + (31 - clz32(rest & -rest)))
  }

  /** One word of 32, as a whole number with a sign. */
  at(i: number): number {
    return this.words[i] ?? 0
  }
}

/** How many bits of a word are set (Hacker's Delight, section 5-1). */
export function bitsIn(given: number): number {
  let word = given - ((given >>> 1) & 0x55555555)
  word = (word & 0x33333333) + ((word >>> 2) & 0x33333333)
  return imul((word + (word >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24
}
