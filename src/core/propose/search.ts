import type { ChangeKind } from '../changes/change'
import { type Atom, MOST_EVIDENCE, PER_CLAUSE, PER_COST, type View } from './atoms'
import { Bits, bitsIn } from './bits'

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
const BEAM = [0, 100, 60] as const

/** What a change that should not have been told of counts against a set that is to grow still. */
const WRONG = 18

/** What is said for a set that held before at a change marked yes, and may fire there with one more part. */
const LOOSE = -60

interface Growing {
  readonly at: readonly number[]
  readonly holds: Bits
  readonly held: Bits
}

interface CueTried {
  readonly on: readonly ChangeKind[]
  readonly among: Bits
}

/** The kinds of changes that a cue may wait for: those marked yes, and created and changed ones together. */
function cuesFor({ observed, yes }: View): CueTried[] {
  const places: number[] = []
  yes.each((i) => places.push(i))
  const kinds = (['created', 'changed', 'deleted'] as const).filter((kind) => places.some((i) => observed.kindAt(i) === kind))
  const cues: (readonly ChangeKind[])[] = kinds.length === 1 && kinds[0] !== 'deleted' ? [kinds, ['created', 'changed']] : [kinds]
  return cues.map((on) => ({ on, among: Bits.of(observed.size, (i) => on.includes(observed.kindAt(i))) }))
}

/** What is said against a number of clauses of a cost. */
export const unlikely = (clauses: number, cost: number) => PER_CLAUSE * clauses + PER_COST * cost

/**
 * All sets of up to three clauses, at most one part of them an `any`, that agree with every mark, the likeliest first. Single parts are all tried, the best 100 of them with each other part,
 * and the best 60 pairs with each part again: at most `n · (1 + 100 + 60)` sets of `n` parts, each in `view / 32` steps. A part that does not hold at a change marked yes is in no set that
 * agrees, so none is missed by leaving it out; what the beam misses is a set none of whose smaller sets is among the best.
 */
export function searchIn(view: View, atoms: readonly Atom[]): Hypothesis[] {
  const { observed, yes, no, scale } = view
  const cues = cuesFor(view)
  const fresh = observed.created.or(observed.deleted)
  const evidence = Math.min(MOST_EVIDENCE, yes.count())
  const found = new Map<string, Hypothesis>()
  const fires = new Bits(observed.size)

  /** Works out where a set fires, into `fires`: how many, and how many marked no; null where not at every change marked yes. */
  function count(growing: Growing, among: Bits, isEvery: boolean): { all: number; wrong: number } | null {
    let [all, wrong] = [0, 0]
    for (let i = 0; i < fires.words.length; i++) {
      const lets = growing.holds.at(i) & among.at(i)
      const word = isEvery ? lets : lets & ~(growing.held.at(i) & ~fresh.at(i))
      if ((yes.at(i) & ~word) !== 0) return null
      fires.words[i] = word
      all += bitsIn(word)
      wrong += bitsIn(word & no.at(i))
    }
    return { all, wrong }
  }

  /** Keeps what agrees with every mark; how good the best of a set is, whether it agrees or not. */
  function judge(growing: Growing): number | null {
    const parts = growing.at.flatMap((k) => atoms[k] ?? [])
    const clauses = parts.reduce((sum, a) => sum + a.clauses.length, 0)
    if (clauses > MOST_CLAUSES) return null
    let best = growing.holds.includes(yes) ? LOOSE - unlikely(clauses, 0) : null
    for (const [place, { on, among }] of cues.entries())
      for (const firing of parts.length ? (['entering', 'every'] as const) : (['every'] as const)) {
        const counted = count(growing, among, firing === 'every')
        if (!counted) continue
        const cost = parts.reduce((sum, a) => sum + a.cost, 0) + (firing === 'every' && parts.length ? 1 : 0) + place * 0.4
        const score = -unlikely(clauses, cost) - evidence * Math.log2(counted.all * scale)
        best = Math.max(best ?? Number.NEGATIVE_INFINITY, score - WRONG * counted.wrong)
        if (counted.wrong > 0) continue
        const key = fires.key()
        const known = found.get(key)
        if (!known || score > known.score)
          found.set(key, { on, firing: parts.length ? firing : 'entering', atoms: parts, clauses, linked: parts.reduce((sum, a) => sum + a.linked, 0), cost, score })
      }
    return best
  }

  const all = Bits.of(observed.size, () => true)
  judge({ at: [], holds: all, held: all })
  let ranked = atoms.flatMap((atom, k) => rated({ at: [k], holds: atom.holds, held: atom.held }))
  for (let size = 1; size < MOST_CLAUSES; size++) {
    const level = ranked.sort((a, b) => b.score - a.score).slice(0, BEAM[size])
    const seen = new Set<string>()
    ranked = level.flatMap(({ growing: { at, holds, held } }) =>
      atoms.flatMap((atom, k) => {
        const both = [...at, k].sort((a, b) => a - b)
        if (at.includes(k) || both.filter((n) => (atoms[n]?.clauses.length ?? 0) > 1).length > 1) return []
        const key = both.join()
        if (seen.has(key)) return []
        seen.add(key)
        return rated({ at: both, holds: holds.and(atom.holds), held: held.and(atom.held) })
      }),
    )
  }
  return [...found.values()].sort((a, b) => b.score - a.score)

  function rated(growing: Growing): { growing: Growing; score: number }[] {
    const score = judge(growing)
    return score === null ? [] : [{ growing, score }]
  }
}
