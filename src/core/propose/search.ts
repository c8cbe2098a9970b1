import { CHANGE_KINDS, type ChangeKind } from '../changes/change'
import { must } from '../must'
import { type Atom, type Atoms, costOfAny, either, evidenceOf, PER_CLAUSE, type View } from './atoms'
import { Bits, bitsIn } from './bits'
import { PER_COST } from './candidates'
import { eitherIn } from './either'
import type { Sides } from './observed'

/** A cue with parts that agrees with every mark; how much speaks for it, in bits: what it says in little, and how few it lets through that were not marked. */
export interface Hypothesis {
  readonly on: readonly ChangeKind[]
  readonly firing: 'entering' | 'every'
  readonly atoms: readonly Atom[]
  readonly clauses: number
  readonly linked: number
  readonly cost: number
  readonly score: number
}

const MOST_CLAUSES = 3

/** How many sets of each size are kept to be tried with one more part. */
const BEAM = [0, 160, 120] as const

/** What a change that should not have been told of counts against a set that is to grow still. */
const WRONG = 18

/** What is said for a set that held before at a change marked yes, and may fire there with one more part. */
const LOOSE = -60

/** What is this many bits less likely than the best makes no difference. */
const MOST_BEHIND = 16

/** Sets that fire for the same of what is looked at first: so many are kept, of those nearly as likely as the best, for all changes may tell them apart. */
const MOST_SAME = 4
const AS_GOOD = 1.5

/** Two sets of parts as one: their clauses, and what these cost. */
interface Joined {
  readonly one: Sides
  readonly two: Sides
  readonly clauses: number
  readonly cost: number
}

/** A set that others are made of, with its parts by their places. */
interface Growing extends Sides {
  readonly at: readonly number[]
  readonly parts: readonly Atom[]
  readonly clauses: number
  readonly cost: number
}

interface CueTried {
  readonly on: readonly ChangeKind[]
  readonly among: Bits
}

/** The kinds of changes that a cue may wait for: those marked yes, and created and changed ones together. */
function cuesFor({ seen, yes }: View): CueTried[] {
  const kinds = CHANGE_KINDS.filter((kind) => seen.ofKinds([kind]).meets(yes))
  const cues: (readonly ChangeKind[])[] = kinds.length === 1 && kinds[0] !== 'deleted' ? [kinds, ['created', 'changed']] : [kinds]
  return cues.map((on) => ({ on, among: seen.ofKinds(on) }))
}

/** What is said against a number of clauses of a cost. */
export const unlikely = (clauses: number, cost: number) => PER_CLAUSE * clauses + PER_COST * cost

/**
 * Sets of up to three clauses, at most two of them an `any`, that agree with every mark, the likeliest first. Single parts are all tried, the best 160 of them with each other part,
 * and the best 120 pairs with each part again: at most `n · (1 + 160 + 120)` sets of `n` parts, each in `view / 32` steps. A part that does not hold at a change marked yes is in no set that
 * agrees, so none is missed by leaving it out; what the beam misses is a set none of whose smaller sets is among the best. No more are given than are asked for.
 */
export function searchIn(view: View, atoms: Atoms, most: number): Hypothesis[] {
  return new Search(view, atoms, most).run().slice(0, most)
}

class Search {
  private readonly atoms: readonly Atom[]
  private readonly cues: readonly CueTried[]
  private readonly fresh: Bits
  /** What no part narrows. */
  private readonly all: Sides
  private readonly evidence: number
  /** What is said against any set for what it fires for: all that is marked yes, at least. */
  private readonly fewest: number
  /** By what they fire for. */
  private readonly found = new Map<string, Hypothesis[]>()
  private best = Number.NEGATIVE_INFINITY
  /** As many as are asked for are known to be at least as likely as this. */
  private enough = Number.NEGATIVE_INFINITY
  /** Of how many some are forgotten next. */
  private crowd: number

  constructor(
    private readonly view: View,
    private readonly given: Atoms,
    private readonly most: number,
  ) {
    this.atoms = given.wholes
    this.cues = cuesFor(view)
    this.fresh = view.seen.fresh
    const all = view.seen.ofKinds(CHANGE_KINDS)
    this.all = { holds: all, held: all }
    const yes = view.yes.count()
    this.evidence = evidenceOf(yes)
    this.fewest = this.evidence * Math.log2(Math.max(1, yes))
    this.crowd = 2 * most
  }

  run(): Hypothesis[] {
    const none: Growing = { at: [], parts: [], ...this.all, clauses: 0, cost: 0 }
    this.judge({ one: none, two: none, clauses: 0, cost: 0 }, 1, () => [])
    let level: Growing[] = [none]
    for (let size = 1; size <= MOST_CLAUSES; size++) level = this.grown(level, BEAM[size] ?? 0)
    this.either()
    return [...this.found.values()]
      .flat()
      .filter((h) => h.score >= this.least)
      .sort((a, b) => b.score - a.score)
  }

  /** What is less likely than this makes no difference. */
  private get least(): number {
    return Math.max(this.best - MOST_BEHIND, this.enough)
  }

  /** Every set of a level with each part more, judged; the best of them, so many, to grow on. */
  private grown(level: readonly Growing[], most: number): Growing[] {
    const seen = new Set<number>()
    const tried: { from: Growing; k: number; score: number }[] = []
    for (const from of level)
      for (let k = 0; k < this.atoms.length; k++) {
        const atom = must(this.atoms[k])
        const clauses = from.clauses + atom.clauses.length
        const cost = from.cost + atom.cost
        if (from.at.includes(k) || this.isHopeless(clauses, cost, most)) continue
        const key = keyOf([...from.at, k], this.atoms.length)
        if (seen.has(key)) continue
        seen.add(key)
        const score = this.judge({ one: from, two: atom, clauses, cost }, most, () => [...from.parts, atom])
        if (most > 0) tried.push({ from, k, score })
      }
    return tried
      .sort((a, b) => b.score - a.score)
      .slice(0, most)
      .map(({ from, k }) => {
        const atom = must(this.atoms[k])
        const together = { holds: from.holds.and(atom.holds), held: from.held.and(atom.held) }
        return { at: [...from.at, k], parts: [...from.parts, atom], ...together, clauses: from.clauses + atom.clauses.length, cost: from.cost + atom.cost }
      })
  }

  /** Sets with parts of which any is enough, and with a part besides. */
  private either(): void {
    const { size } = this.view.seen
    const one: Sides = { holds: new Bits(size), held: new Bits(size) }
    const tell = (wholes: readonly (Atom | null)[], any: readonly Atom[]) => {
      const costAny = costOfAny(any)
      let isJoined = false
      for (const whole of wholes) {
        const clauses = any.length + (whole ? 1 : 0)
        const cost = costAny + (whole?.cost ?? 0)
        if (this.isHopeless(clauses, cost, 0)) continue
        if (!isJoined) {
          one.holds.toAny(any.map((part) => part.holds))
          one.held.toAny(any.map((part) => part.held))
          isJoined = true
        }
        this.judge({ one, two: whole ?? this.all, clauses, cost }, 0, () => [...(whole ? [whole] : []), either(any)])
      }
    }
    eitherIn(this.view, this.given.wholes, this.given.parts, tell, () => this.found.size > 0)
  }

  /** Whether a set that does not grow on could not come near the best, were it to fire for what is marked alone. */
  private isHopeless(clauses: number, cost: number, most: number): boolean {
    return most === 0 && -unlikely(clauses, cost) - this.fewest < this.least
  }

  /** Keeps what agrees with every mark; how good the best of a set is, whether it agrees or not, where so many are to grow on. */
  private judge(set: Joined, most: number, parts: () => readonly Atom[]): number {
    let best = LOOSE - unlikely(set.clauses, 0)
    for (let place = 0; place < this.cues.length; place++) {
      const { among } = must(this.cues[place])
      for (const isEvery of set.clauses ? [false, true] : [true]) {
        const cost = set.cost + (isEvery && set.clauses ? 1 : 0) + place * 0.4
        const score = this.score(set, among, isEvery, cost, most === 0)
        if (score === null) continue
        best = Math.max(best, score.score - WRONG * score.wrong)
        if (score.wrong === 0 && score.score >= this.least) this.keep(set, parts, place, isEvery, cost, score.score)
      }
    }
    return best
  }

  /** How much speaks for a set, and how many marked no it fires for; null where it does not fire at every change marked yes, or of one that does not grow where it does not agree, or fires for too many to be kept. */
  private score(set: Joined, among: Bits, isEvery: boolean, cost: number, isLast: boolean): { score: number; wrong: number } | null {
    const { yes, no, scale } = this.view
    const most = isLast ? this.mostFor(set.clauses, cost) : Number.POSITIVE_INFINITY
    let [all, wrong] = [0, 0]
    for (let i = 0; i < among.words.length; i++) {
      const word = this.firesAt(i, set, among, isEvery)
      if ((yes.at(i) & ~word) !== 0) return null
      all += bitsIn(word)
      wrong += bitsIn(word & no.at(i))
      if (all > most || (isLast && wrong > 0)) return null
    }
    return { score: -unlikely(set.clauses, cost) - this.evidence * Math.log2(all * scale), wrong }
  }

  /** How many of what is looked at a set may fire for, to come near the best; one more than that, since logarithms are rounded. */
  private mostFor(clauses: number, cost: number): number {
    return 2 ** ((-unlikely(clauses, cost) - this.least) / this.evidence) / this.view.scale + 1
  }

  private firesAt(i: number, { one, two }: Joined, among: Bits, isEvery: boolean): number {
    const lets = one.holds.at(i) & two.holds.at(i) & among.at(i)
    return isEvery ? lets : lets & ~(one.held.at(i) & two.held.at(i) & ~this.fresh.at(i))
  }

  private keep(set: Joined, partsOf: () => readonly Atom[], place: number, isEvery: boolean, cost: number, score: number): void {
    const { on, among } = must(this.cues[place])
    const fires = new Bits(among.size)
    for (let i = 0; i < fires.words.length; i++) fires.words[i] = this.firesAt(i, set, among, isEvery)
    const key = fires.key()
    const known = this.found.get(key) ?? []
    const [first] = known
    if (first && (score < first.score - AS_GOOD || (known.length === MOST_SAME && score <= must(known.at(-1)).score))) return
    this.best = Math.max(this.best, score)
    const parts = partsOf()
    const firing = isEvery && parts.length ? 'every' : 'entering'
    const one = { on, firing, atoms: parts, clauses: set.clauses, linked: parts.reduce((sum, a) => sum + a.linked, 0), cost, score } as const
    const likeliest = [...known, one].sort((a, b) => b.score - a.score)
    const least = must(likeliest[0]).score - AS_GOOD
    this.found.set(key, likeliest.filter((h) => h.score >= least).slice(0, MOST_SAME))
    if (this.found.size >= this.crowd) this.thin()
  }

  /** Forgets what is not among so many as are asked for: each has others before it that fire for something else. */
  private thin(): void {
    const ranked = [...this.found].sort(([, [a]], [, [b]]) => must(b).score - must(a).score)
    this.enough = must(ranked[this.most - 1]?.[1][0]).score
    for (const [key, [first]] of ranked.slice(this.most)) if (must(first).score < this.enough) this.found.delete(key)
    this.crowd = 2 * this.found.size // more than were asked for, where they are equally likely
  }
}

/** The same for the same set of up to three parts, in whatever order. */
function keyOf(at: number[], parts: number): number {
  return at.sort((a, b) => a - b).reduce((key, k) => key * (parts + 1) + k + 1, 0)
}
