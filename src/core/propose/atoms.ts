import type { Condition } from '../document/condition'
import { Bits } from './bits'
import type { Candidate, Marks } from './candidates'
import type { Observed } from './observed'

/** A part that conditions are put together of: a clause, or several of which any is enough; where it holds over all that is observed, and where it held before. */
export interface Atom {
  readonly condition: Condition
  /** How many clauses it is, and how many of them look at a record beside. */
  readonly clauses: number
  readonly linked: number
  readonly cost: number
  readonly isAny: boolean
  readonly holds: Bits
  readonly held: Bits
}

/** Atoms that hold at every change marked yes, and those that hold at some. */
export interface Atoms {
  readonly whole: readonly Atom[]
  readonly parts: readonly Atom[]
}

/** Most clauses that are looked at over all that is observed: what is less likely has to do without. */
const MOST_WHOLE = 150
const MOST_PARTS = 60
const MOST_JOINED = 50

/** How many observations tell how common a clause is, before it is looked at over all. */
const SAMPLE = 600

/** Most marks that count as evidence: that a clause holds at all of many tells no more than that it holds at so many, as who marks does not draw lots. */
export const MOST_EVIDENCE = 6

const bitsOf = (share: number) => -Math.log2(share)

/**
 * The clauses worth looking at. One that holds at every change marked yes tells the more, the fewer changes it holds at anywhere; found by a sample, for of many fields there are many
 * clauses, and only the best are looked at over all there is.
 */
export function atomsFor(observed: Observed, marks: Marks, candidates: readonly Candidate[]): Atoms {
  const sample = spreadOver(observed.size, SAMPLE)
  const places = [...marks.yes, ...marks.no]
  const allYes = Bits.of(places.length, (i) => i < marks.yes.length)
  const evidence = Math.min(MOST_EVIDENCE, marks.yes.length)
  const seen = new Set<string>()
  const rated = candidates.flatMap((candidate) => {
    const key = JSON.stringify(candidate.clause)
    if (seen.has(key)) return []
    seen.add(key)
    const { holds } = observed.sidesAt(candidate.clause, places)
    const yes = holds.and(allYes).count()
    if (yes === 0) return []
    const share = (observed.sidesAt(candidate.clause, sample).holds.count() + 0.5) / (sample.length + 1)
    const refused = marks.no.length - holds.without(allYes).count()
    return [{ candidate, isWhole: yes === marks.yes.length, worth: evidence * bitsOf(share) * (yes / marks.yes.length) + 2 * refused - 4 * candidate.cost }]
  })
  rated.sort((a, b) => b.worth - a.worth)
  const atom = ({ candidate: { clause, cost, linked } }: (typeof rated)[number]): Atom => ({
    condition: clause,
    clauses: 1,
    linked: linked ? 1 : 0,
    cost,
    isAny: false,
    ...observed.sides(clause),
  })
  const whole = rated
    .filter((r) => r.isWhole)
    .slice(0, MOST_WHOLE)
    .map(atom)
  const parts = rated
    .filter((r) => !r.isWhole)
    .slice(0, MOST_PARTS)
    .map(atom)
  return { whole: [...whole, ...joinedOf(observed, marks, parts)], parts }
}

/** Places spread evenly. */
function spreadOver(size: number, most: number): number[] {
  const count = Math.min(size, most)
  return Array.from({ length: count }, (_, k) => Math.floor((k * size) / count))
}

/** Two or three clauses of which any is enough, that hold together at every change marked yes: each adds some to those before it. The fewest changes first. */
function joinedOf(observed: Observed, marks: Marks, parts: readonly Atom[]): Atom[] {
  const yes = Bits.of(observed.size, () => false)
  for (const i of marks.yes) yes.add(i)
  const pairs: Atom[] = []
  parts.forEach((one, i) => {
    for (const two of parts.slice(i + 1)) if (adds(one, two, yes)) pairs.push(either(one, two))
  })
  pairs.sort((a, b) => b.holds.and(yes).count() - a.holds.and(yes).count() || a.holds.count() - b.holds.count())
  const threes = pairs
    .filter((pair) => !pair.holds.includes(yes))
    .slice(0, MOST_PARTS)
    .flatMap((pair) => parts.filter((three) => adds(pair, three, yes)).map((three) => either(pair, three)))
  const whole = (list: readonly Atom[]) => list.filter((a) => a.holds.includes(yes)).sort((a, b) => a.holds.count() - b.holds.count())
  return [...whole(pairs).slice(0, MOST_JOINED), ...whole(threes).slice(0, MOST_JOINED)]
}

/** Whether each of two holds at a change marked yes at which the other does not. */
function adds(one: Atom, two: Atom, yes: Bits): boolean {
  const [a, b] = [one.holds.and(yes), two.holds.and(yes)]
  return !a.includes(b) && !b.includes(a)
}

function either(one: Atom, two: Atom): Atom {
  const parts = [one, two].flatMap(({ condition }) => ('any' in condition ? condition.any : [condition]))
  return {
    condition: { any: parts },
    clauses: one.clauses + two.clauses,
    linked: one.linked + two.linked,
    cost: one.cost + two.cost + 0.5,
    isAny: true,
    holds: one.holds.or(two.holds),
    held: one.held.or(two.held),
  }
}
