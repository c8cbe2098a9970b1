import { CHANGE_KINDS } from '../changes/change'
import { must } from '../must'
import { type Atom, evidenceOf, type View } from './atoms'
import type { Bits } from './bits'
import { PER_COST } from './candidates'

/** Takes parts of which any is enough, with those of which one holds besides each time, or none. */
export type Tell = (wholes: readonly (Atom | null)[], any: readonly Atom[]) => void

/** Parts that come to the same at every mark, now and before, the likeliest first: only what is not marked can tell them apart. */
interface Way {
  /** Where they hold and held, at the marks, as words of bits. */
  readonly holds: Uint32Array
  readonly held: Uint32Array
  readonly parts: readonly Atom[]
  /** The least cost and the least share of changes among them. */
  readonly cost: number
  readonly share: number
}

/** Most ways of being marked alike that are tried besides, and parts that are tried of each. */
const MOST_WHOLE_WAYS = 160
const MOST_EACH = 6
const MOST_EACH_WHOLE = 3

/** Most ways that are combined of three. */
const MOST_WAYS_OF_THREE = 60

/** Most combinations of ways that are looked at, those first that promise most; more where nothing else agrees. */
const MOST_COMBINED = 3_000
const MOST_AT_LAST = 30_000

/** A combination of ways that agrees with every mark. */
interface Combined {
  readonly whole: Way | null
  readonly any: readonly Way[]
  readonly promises: number
}

/** Ways that may hold besides, with what each adds to what is promised. */
interface Besides {
  readonly way: Way | null
  readonly promises: number
}

/**
 * Every two parts of which any is enough, with each part besides or none, that may agree with every mark; where there are none, every three. All of them are held against the marks, as words of
 * bits (`ways² / 2 · wholes` steps, or `60³ / 6`), and the most promising are told one by one. Exact at the marks up to the numbers above.
 */
export function eitherIn(view: View, wholes: readonly Atom[], parts: readonly Atom[], tell: Tell, isAny: () => boolean): void {
  const marks = new Marked(view)
  const ways = marks.alike(parts, MOST_EACH).slice(0, view.effort.ways)
  const besides = marks.besides(wholes)
  const best = new Best(isAny() ? MOST_COMBINED : MOST_AT_LAST)
  for (let i = 0; i < ways.length; i++)
    for (let k = i + 1; k < ways.length; k++) {
      const [one, two] = [must(ways[i]), must(ways[k])]
      if (marks.addUp(one, two, null)) marks.combine([one, two], besides, best)
    }
  if (best.isEmpty) threes(marks, ways.slice(0, MOST_WAYS_OF_THREE), besides.slice(0, 1), best)
  for (const [i, { whole, any }] of best.ranked().entries()) {
    if (i >= MOST_COMBINED && isAny()) break
    for (const joined of joinedOf(any)) tell(whole?.parts ?? [null], joined)
  }
}

function threes(marks: Marked, ways: readonly Way[], besides: readonly Besides[], best: Best): void {
  for (const [i, one] of ways.entries())
    for (const [k, two] of ways.slice(i + 1).entries()) for (const three of ways.slice(i + k + 2)) if (marks.addUp(one, two, three)) marks.combine([one, two, three], besides, best)
}

/** Each part of each way with each of the others. */
const joinedOf = ([first, ...more]: readonly Way[]): Atom[][] =>
  more.reduce<Atom[][]>((found, way) => found.flatMap((list) => way.parts.map((part) => [...list, part])), first?.parts.map((part) => [part]) ?? [])

/** The combinations that promise most, so many. */
class Best {
  /** What promises less than this is none of them. */
  least = Number.NEGATIVE_INFINITY
  private readonly all: Combined[] = []

  constructor(private readonly most: number) {}

  get isEmpty(): boolean {
    return this.all.length === 0
  }

  add(one: Combined): void {
    this.all.push(one)
    if (this.all.length >= 2 * this.most) this.ranked()
  }

  ranked(): readonly Combined[] {
    this.all.sort((a, b) => b.promises - a.promises)
    this.all.splice(this.most)
    if (this.all.length === this.most) this.least = must(this.all.at(-1)).promises
    return this.all
  }
}

/** What is marked, as the first words of what is looked at. */
class Marked {
  private readonly length: number
  private readonly evidence: number
  private readonly fresh: Uint32Array
  private readonly yes: Uint32Array
  /** What is marked no of the kinds that something marked yes is of. */
  private readonly wrong: Uint32Array
  private readonly holds: Uint32Array
  private readonly held: Uint32Array

  constructor(private readonly view: View) {
    const { seen, yes, no, marked } = view
    this.evidence = evidenceOf(yes.count())
    this.length = (marked.size + 31) >>> 5
    const kinds = CHANGE_KINDS.filter((kind) => seen.ofKinds([kind]).meets(yes))
    const cut = (bits: Bits) => bits.words.slice(0, this.length)
    this.fresh = cut(seen.fresh)
    this.yes = cut(yes)
    this.wrong = cut(no.and(seen.ofKinds(kinds)))
    this.holds = new Uint32Array(this.length)
    this.held = new Uint32Array(this.length)
  }

  /** Parts by what they come to at the marks, the ways of the likeliest first. */
  alike(parts: readonly Atom[], most: number): Way[] {
    const { yes, no, seen } = this.view
    const ways = new Map<string, { holds: Uint32Array; held: Uint32Array; parts: Atom[] }>()
    for (const part of parts) {
      const cut = (words: Uint32Array) => words.slice(0, this.length).map((word, i) => word & (yes.at(i) | no.at(i)))
      const [holds, held] = [cut(part.holds.words), cut(part.held.words)]
      const key = `${holds.join()} ${held.join()}`
      const known = ways.get(key)
      if (!known) ways.set(key, { holds, held, parts: [part] })
      else if (known.parts.length < most) known.parts.push(part)
    }
    return [...ways.values()].map((way) => ({
      ...way,
      cost: Math.min(...way.parts.map((p) => p.cost)),
      share: Math.min(...way.parts.map((p) => (p.holds.count() + 0.5) / (seen.count + 1))),
    }))
  }

  /** Nothing, and the ways of parts that hold at everything marked yes; those first that promise most. */
  besides(wholes: readonly Atom[]): Besides[] {
    const ways = this.alike(wholes, MOST_EACH_WHOLE).slice(0, MOST_WHOLE_WAYS)
    const found = ways.map((way) => ({ way, promises: -this.evidence * Math.log2(way.share) - PER_COST * way.cost })).sort((a, b) => b.promises - a.promises)
    return [{ way: null, promises: PER_COST }, ...found]
  }

  /** Whether two or three hold together at every change marked yes, and each at some where none of the others does. */
  addUp(one: Way, two: Way, three: Way | null): boolean {
    let [first, second, third] = [0, 0, three ? 0 : 1]
    for (let i = 0; i < this.length; i++) {
      const yes = at(this.yes, i)
      const [a, b, c] = [at(one.holds, i), at(two.holds, i), three ? at(three.holds, i) : 0]
      if ((yes & ~(a | b | c)) !== 0) return false
      first |= yes & a & ~(b | c)
      second |= yes & b & ~(a | c)
      if (three) third |= yes & c & ~(a | b)
    }
    return first !== 0 && second !== 0 && third !== 0
  }

  /** Ways of which any is enough, with each of what may be besides, as far as they may agree with every mark. */
  combine(any: readonly Way[], besides: readonly Besides[], best: Best): void {
    const share = any.reduce((sum, way) => sum + way.share, 0)
    const cost = any.reduce((sum, way) => sum + way.cost, 0)
    const promised = -this.evidence * Math.log2(Math.min(1, share)) - PER_COST * cost
    this.join(any)
    for (const { way, promises } of besides) {
      if (promised + promises < best.least) {
        if (way) break
      } else if (this.mayAgree(way)) best.add({ whole: way, any, promises: promised + promises })
    }
  }

  /** Where any of some holds, and held, at the marks. */
  private join(any: readonly Way[]): void {
    this.holds.fill(0)
    this.held.fill(0)
    for (let i = 0; i < this.length; i++)
      for (const way of any) {
        this.holds[i] = at(this.holds, i) | at(way.holds, i)
        this.held[i] = at(this.held, i) | at(way.held, i)
      }
  }

  /** Whether what was joined agrees with every mark, with another besides or none, at every change or only where it had not held before; kinds of changes aside. */
  private mayAgree(whole: Way | null): boolean {
    let [every, entering] = [true, true]
    for (let i = 0; i < this.length && (every || entering); i++) {
      const no = at(this.wrong, i)
      const holds = at(this.holds, i) & (whole ? at(whole.holds, i) : -1)
      const held = at(this.held, i) & (whole ? at(whole.held, i) : -1) & ~at(this.fresh, i)
      if ((holds & no) !== 0) every = false
      if ((holds & ~held & no) !== 0 || (at(this.yes, i) & held) !== 0) entering = false
    }
    return every || entering
  }
}

const at = (words: Uint32Array, i: number) => words[i] ?? 0
