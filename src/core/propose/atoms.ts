import type { Clause, Condition } from '../document/condition'
import type { Bits } from './bits'
import type { Candidate } from './candidates'
import type { Observed } from './observed'

/** A part that conditions are put together of: a clause, or several of which any is enough; where it holds in what is looked at, and where it held before. */
export interface Atom {
  readonly clauses: readonly Clause[]
  /** How many of its clauses look at a record beside. */
  readonly linked: number
  readonly cost: number
  readonly holds: Bits
  readonly held: Bits
}

/** What is looked at first: the changes that are marked, then a sample of the others. */
export interface View {
  readonly observed: Observed
  /** The marked changes alone. */
  readonly marked: Observed
  readonly yes: Bits
  readonly no: Bits
  /** How many changes each of the sample stands for. */
  readonly scale: number
}

/** Most parts of each kind that are tried together: what is less likely has to do without. */
const MOST_WHOLE = 160
const MOST_PARTS = 110
const MOST_JOINED = 50

/** Most that are kept of those that hold at the same marks. */
const MOST_ALIKE = 6

/** Most spans of time that come to the same at the marks, the shortest first. */
const MOST_SPANS = 3

/** Most marks that count as evidence: who marks does not draw lots, so that many tell little more than these. */
export const MOST_EVIDENCE = 6

/** What one more clause, and each unit of its cost, has to be worth, in bits: about the number of clauses it is chosen from. */
export const PER_CLAUSE = 4.5
export const PER_COST = 2.5

export const conditionOf = ({ clauses: [first, ...more] }: Atom): Condition | null => (first === undefined ? null : more.length ? { any: [first, ...more] } : first)

/** The parts worth trying. One that holds at every change marked yes tells the more, the fewer changes it holds at anywhere. */
export function atomsFor(view: View, candidates: readonly Candidate[]): Atom[] {
  const { observed, marked, yes, no } = view
  const wanted = yes.count()
  const evidence = Math.min(MOST_EVIDENCE, wanted)
  const spans = new Map<string, number>()
  const rated = candidates.flatMap(({ clause, cost, linked }) => {
    const at = marked.sides(clause).holds
    if (!at.meets(yes)) return []
    if (clause.op === 'within next' || clause.op === 'within last') {
      const alike = `${clause.field} ${clause.op} ${at.key()}`
      spans.set(alike, (spans.get(alike) ?? 0) + 1)
      if ((spans.get(alike) ?? 0) > MOST_SPANS) return []
    }
    const sides = observed.sides(clause)
    const met = sides.holds.and(yes)
    const count = met.count()
    const share = (sides.holds.count() + 0.5) / (observed.size + 1)
    const refused = no.without(sides.holds).count()
    const worth = -evidence * Math.log2(share) * (count / wanted) + 2 * refused - PER_COST * cost
    const atom: Atom = { clauses: [clause], linked: linked ? 1 : 0, cost, ...sides }
    return [{ atom, isWhole: count === wanted, worth, marks: met.key() }]
  })
  rated.sort((a, b) => b.worth - a.worth)
  const whole = rated.filter((r) => r.isWhole).slice(0, MOST_WHOLE)
  const alike = new Map<string, number>()
  const parts = rated.filter((r) => {
    const n = (alike.get(r.marks) ?? 0) + 1
    alike.set(r.marks, n)
    return !r.isWhole && n <= MOST_ALIKE
  })
  return [
    ...whole.map((r) => r.atom),
    ...joinedOf(
      yes,
      parts.slice(0, MOST_PARTS).map((r) => r.atom),
    ),
  ]
}

/** Two or three clauses of which any is enough, that hold together at every change marked yes: each adds some to those before it. The fewest changes first. */
function joinedOf(yes: Bits, parts: readonly Atom[]): Atom[] {
  const met = parts.map((part) => part.holds.and(yes))
  const pairs: { atom: Atom; met: Bits }[] = []
  parts.forEach((one, i) => {
    for (let k = i + 1; k < parts.length; k++) {
      const [two, a, b] = [parts[k], met[i], met[k]]
      if (two && a && b && !a.includes(b) && !b.includes(a)) pairs.push({ atom: either(one, two), met: a.or(b) })
    }
  })
  const whole = fewest(pairs.filter((p) => p.met.includes(yes)).map((p) => p.atom)).slice(0, MOST_JOINED)
  if (whole.length > 0) return whole
  const threes = pairs
    .sort((a, b) => b.met.count() - a.met.count() || b.atom.cost - a.atom.cost)
    .slice(0, MOST_PARTS)
    .flatMap((pair) => parts.filter((_, k) => pair.met.or(met[k] ?? pair.met).includes(yes)).map((three) => either(pair.atom, three)))
  return fewest(threes).slice(0, MOST_JOINED)
}

const fewest = (atoms: readonly Atom[]) =>
  atoms
    .map((atom) => ({ atom, worth: MOST_EVIDENCE * Math.log2(atom.holds.count()) + PER_COST * atom.cost }))
    .sort((a, b) => a.worth - b.worth)
    .map((a) => a.atom)

function either(one: Atom, two: Atom): Atom {
  return {
    clauses: [...one.clauses, ...two.clauses],
    linked: one.linked + two.linked,
    cost: one.cost + two.cost + 0.4,
    holds: one.holds.or(two.holds),
    held: one.held.or(two.held),
  }
}
