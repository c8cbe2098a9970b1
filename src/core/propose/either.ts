import { CHANGE_KINDS } from '../changes/change'
import { type Atom, either, evidenceOf, type View } from './atoms'
import type { Bits } from './bits'
import { PER_COST } from './candidates'

/** Two parts of which any is enough, with a part that holds besides or none. */
export interface Combined {
  readonly whole: Atom | null
  readonly any: Atom
}

/** Where something holds and held, at the marks. */
interface Words {
  readonly holds: Uint32Array
  readonly held: Uint32Array
}

/** Parts that come to the same at every mark, now and before, the likeliest first: only what is not marked can tell them apart. */
interface Alike extends Words {
  readonly parts: readonly Atom[]
  /** The least cost and the least share of changes among them. */
  readonly cost: number
  readonly share: number
}

/** Most ways of being marked alike that are combined, and parts that are tried of each. */
const MOST_WAYS = 700
const MOST_WHOLE_WAYS = 160
const MOST_EACH = 6
const MOST_EACH_WHOLE = 3

/** Most ways that are combined of three. */
const MOST_WAYS_OF_THREE = 60

/** Most combinations of ways that are looked at, those first that promise most; more where nothing else agrees. */
const MOST_COMBINED = 3_000
const MOST_AT_LAST = 30_000

/** A combination of ways that agrees with every mark. */
interface Way {
  readonly whole: Alike | null
  readonly any: readonly Alike[]
  readonly promises: number
}

/**
 * Every two parts of which any is enough, with each part besides or none, that may agree with every mark; where there are none, every three. All of them are held against the marks, as words of
 * bits (`ways² / 2 · wholes` steps, or `60³ / 6`), and the most promising are told one by one. Exact at the marks up to the numbers above.
 */
export function eitherIn(view: View, wholes: readonly Atom[], parts: readonly Atom[], tell: (combined: Combined) => void, isAny: () => boolean): void {
  const marks = new Marked(view)
  const ways = marks.alike(parts, MOST_EACH).slice(0, MOST_WAYS)
  const besides = [null, ...marks.alike(wholes, MOST_EACH_WHOLE).slice(0, MOST_WHOLE_WAYS)]
  const twos: Way[] = []
  for (let i = 0; i < ways.length; i++)
    for (let k = i + 1; k < ways.length; k++) {
      const [one, two] = [ways[i], ways[k]]
      if (one && two && marks.cover(one, two)) twos.push(...waysOf(marks, [one, two], besides))
    }
  const found = twos.length > 0 ? twos : threesOf(marks, ways.slice(0, MOST_WAYS_OF_THREE))
  found.sort((a, b) => b.promises - a.promises)
  for (const [i, { whole, any }] of found.slice(0, MOST_AT_LAST).entries()) {
    if (i >= MOST_COMBINED && isAny()) break
    for (const joined of joinedOf(any)) for (const one of whole?.parts ?? [null]) tell({ whole: one, any: joined })
  }
}

/** The ways together, with each of what may be besides, that may agree with every mark. */
function waysOf(marks: Marked, any: readonly Alike[], besides: readonly (Alike | null)[]): Way[] {
  if (!marks.addUp(any)) return []
  const share = Math.min(
    1,
    any.reduce((sum, way) => sum + way.share, 0),
  )
  const cost = any.reduce((sum, way) => sum + way.cost, 0)
  const together = marks.together(any)
  const found: Way[] = []
  for (const whole of besides)
    if (marks.mayAgree(together, whole)) found.push({ whole, any, promises: -marks.evidence * Math.log2(share * (whole?.share ?? 1)) - PER_COST * (cost + (whole?.cost ?? -1)) })
  return found
}

const threesOf = (marks: Marked, ways: readonly Alike[]): Way[] =>
  ways.flatMap((one, i) => ways.slice(i + 1).flatMap((two, k) => ways.slice(i + k + 2).flatMap((three) => waysOf(marks, [one, two, three], [null]))))

/** Each part of each way with each of the others. */
const joinedOf = ([first, ...more]: readonly Alike[]): Atom[] => more.reduce((found, way) => found.flatMap((a) => way.parts.map((b) => either(a, b))), first?.parts.slice() ?? [])

/** What is marked, as the first words of what is looked at. */
class Marked {
  private readonly length: number
  readonly evidence: number
  private readonly fresh: Uint32Array
  private readonly yes: Uint32Array
  /** What is marked no of the kinds that something marked yes is of. */
  private readonly wrong: Uint32Array

  constructor(private readonly view: View) {
    const { observed, yes, no, marked } = view
    this.evidence = evidenceOf(yes.count())
    this.length = (marked.size + 31) >>> 5
    const kinds = CHANGE_KINDS.filter((kind) => observed.ofKinds([kind]).meets(yes))
    const cut = (bits: Bits) => bits.words.slice(0, this.length)
    this.fresh = cut(observed.fresh)
    this.yes = cut(yes)
    this.wrong = cut(no.and(observed.ofKinds(kinds)))
  }

  /** Parts by what they come to at the marks, the ways of the likeliest first. */
  alike(parts: readonly Atom[], most: number): Alike[] {
    const { yes, no, observed } = this.view
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
      share: Math.min(...way.parts.map((p) => (p.holds.count() + 0.5) / (observed.size + 1))),
    }))
  }

  /** Whether one of two holds at every change marked yes. */
  cover(one: Alike, two: Alike): boolean {
    for (let i = 0; i < this.length; i++) if ((at(this.yes, i) & ~(at(one.holds, i) | at(two.holds, i))) !== 0) return false
    return true
  }

  /** Whether they hold together at every change marked yes, and each at some where none of the others does. */
  addUp(any: readonly Alike[]): boolean {
    for (let i = 0; i < this.length; i++) {
      let together = 0
      for (const { holds } of any) together |= at(holds, i)
      if ((at(this.yes, i) & ~together) !== 0) return false
    }
    return any.every((way) => this.isNeeded(way, any))
  }

  private isNeeded(way: Alike, any: readonly Alike[]): boolean {
    for (let i = 0; i < this.length; i++) {
      let alone = at(this.yes, i) & at(way.holds, i)
      for (const other of any) if (other !== way) alone &= ~at(other.holds, i)
      if (alone !== 0) return true
    }
    return false
  }

  /** Where any of some holds, and held, at the marks. */
  together(any: readonly Alike[]): Words {
    const [holds, held] = [new Uint32Array(this.length), new Uint32Array(this.length)]
    for (let i = 0; i < this.length; i++)
      for (const way of any) {
        holds[i] = at(holds, i) | at(way.holds, i)
        held[i] = at(held, i) | at(way.held, i)
      }
    return { holds, held }
  }

  /** Whether parts agree with every mark, with another besides or none, at every change or only where they had not held before; kinds of changes aside. */
  mayAgree(any: Words, whole: Words | null): boolean {
    let [every, entering] = [true, true]
    for (let i = 0; i < this.length && (every || entering); i++) {
      const no = at(this.wrong, i)
      const holds = at(any.holds, i) & (whole ? at(whole.holds, i) : -1)
      const held = at(any.held, i) & (whole ? at(whole.held, i) : -1) & ~at(this.fresh, i)
      if ((holds & no) !== 0) every = false
      if ((holds & ~held & no) !== 0 || (at(this.yes, i) & held) !== 0) entering = false
    }
    return every || entering
  }
}

const at = (words: Uint32Array, i: number) => words[i] ?? 0
