import type { Clause, Condition } from '../document/condition'
import type { Bits } from './bits'
import { type Candidate, PER_COST } from './candidates'
import type { Observed } from './observed'
import type { Seen } from './seen'

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
  readonly seen: Seen
  /** The marked changes alone. */
  readonly marked: Observed
  readonly yes: Bits
  readonly no: Bits
  /** How many changes each of the sample stands for. */
  readonly scale: number
  readonly effort: Effort
}

/** How much is looked at. */
export interface Effort {
  /** Changes that tell how common a clause is, before it is looked at over all. */
  readonly sample: number
  /** Clauses that are looked at beyond the marks. */
  readonly viewed: number
  /** Ways of being marked alike of which any may be enough. */
  readonly ways: number
}

/** Most parts of each kind that are tried together: what is less likely has to do without. */
const MOST_WHOLE = 240

/** So many of them are the likeliest; the rest are taken in turn from each field, so that what is common but of another field is not crowded out. */
const LIKELIEST_WHOLE = 160
const MOST_PARTS = 1_200

/** Most that are kept of those that come to the same at every mark, now and before: only what is not marked can tell them apart. */
const MOST_ALIKE = 6
/** Of those that hold at every change marked yes, so many of each field. */
const MOST_WHOLE_ALIKE = 8
const MOST_ALIKE_ANYWHERE = 60

/** Most spans of time that come to the same at the marks, the shortest first. */
const MOST_SPANS = 3

/** Most marks that count as evidence: who marks does not draw lots, so that many tell little more than these. */
const MOST_EVIDENCE = 10

/** How many of so many changes marked yes count as evidence. */
export const evidenceOf = (marks: number) => Math.min(MOST_EVIDENCE, marks)

/** What one more clause has to be worth, in bits: about the number of clauses it is chosen from. */
export const PER_CLAUSE = 4.5

export const conditionOf = ({ clauses: [first, ...more] }: Atom): Condition | null => (first === undefined ? null : more.length ? { any: [first, ...more] } : first)

/** Parts that hold at every change marked yes, and those that hold at some. */
export interface Atoms {
  readonly wholes: readonly Atom[]
  readonly parts: readonly Atom[]
}

/** The parts worth trying, the likeliest first. One that holds at every change marked yes tells the more, the fewer changes it holds at anywhere. */
export function atomsFor(view: View, candidates: readonly Candidate[]): Atoms {
  const { seen, yes, no } = view
  const [wanted, noes] = [yes.count(), no.count()]
  const evidence = evidenceOf(wanted)
  const rated = suggested(view, candidates).map(({ candidate: { clause, cost, linked }, marks }) => {
    const sides = seen.sides(clause)
    const count = sides.holds.countWith(yes)
    const share = (sides.holds.count() + 0.5) / (seen.count + 1)
    const refused = noes - sides.holds.countWith(no)
    const worth = -evidence * Math.log2(share) * (count / wanted) + 2 * refused - PER_COST * cost
    const atom: Atom = { clauses: [clause], linked: linked ? 1 : 0, cost, ...sides }
    return { atom, isWhole: count === wanted, worth, marks }
  })
  rated.sort((a, b) => b.worth - a.worth)
  const nthOf = counting()
  const unlike = rated.flatMap((r) => {
    const nth = nthOf(r.isWhole ? `${r.marks} ${r.atom.clauses[0]?.field}` : r.marks)
    return nth <= (r.isWhole ? MOST_WHOLE_ALIKE : MOST_ALIKE) ? [{ ...r, nth }] : []
  })
  return {
    wholes: someOfEach(unlike.flatMap((r) => (r.isWhole ? [r.atom] : []))),
    parts: varied(unlike.filter((r) => !r.isWhole)).slice(0, MOST_PARTS),
  }
}

/** Clauses that hold at something marked yes, with what they come to at the marks; of those that come to the same the cheapest, so many. */
function suggested({ marked, yes, effort }: View, candidates: readonly Candidate[]): { candidate: Candidate; marks: string }[] {
  const nthOf = counting()
  const wanted = yes.count()
  const found = [...candidates]
    .sort((a, b) => a.cost - b.cost)
    .flatMap((candidate) => {
      const { clause } = candidate
      const { holds, held } = marked.sides(clause)
      if (!holds.meets(yes)) return []
      const marks = `${holds.key()} ${held.key()}`
      if (
        nthOf(`${clause.field} ${clause.op} ${marks}`) > (clause.op === 'within next' || clause.op === 'within last' ? MOST_SPANS : MOST_ALIKE) ||
        nthOf(marks) > MOST_ALIKE_ANYWHERE
      )
        return []
      const met = holds.countWith(yes)
      return [{ candidate, marks, promises: (MOST_EVIDENCE * met) / wanted - 2 * (holds.count() - met) - PER_COST * candidate.cost }]
    })
  return found.length <= effort.viewed ? found : found.sort((a, b) => b.promises - a.promises).slice(0, effort.viewed)
}

/** Counts how often each key has been asked for, this time among them. */
function counting(): (key: string) => number {
  const counts = new Map<string, number>()
  return (key) => {
    const n = (counts.get(key) ?? 0) + 1
    counts.set(key, n)
    return n
  }
}

/** Of parts, the likeliest first: those, and then some of each field in turn. */
function someOfEach(parts: readonly Atom[]): Atom[] {
  const turnOf = counting()
  const others = parts.slice(LIKELIEST_WHOLE).map((atom) => ({ atom, turn: turnOf(String(atom.clauses[0]?.field)) }))
  return [...parts.slice(0, LIKELIEST_WHOLE), ...others.sort((a, b) => a.turn - b.turn).map(({ atom }) => atom)].slice(0, MOST_WHOLE)
}

/** Parts in turn from each field and operator, of each those first that come to something else at the marks: one with many limits leaves room for the others. */
function varied(parts: readonly { readonly atom: Atom; readonly worth: number; readonly nth: number }[]): Atom[] {
  const turnOf = counting()
  return [...parts]
    .sort((a, b) => a.nth - b.nth || b.worth - a.worth)
    .map((part) => {
      const [clause] = part.atom.clauses
      return { ...part, turn: turnOf(`${clause?.field} ${clause?.op}`) }
    })
    .sort((a, b) => a.turn - b.turn || b.worth - a.worth)
    .map((part) => part.atom)
}

/** What it costs that any of some is enough. */
export const costOfAny = (parts: readonly Atom[]) => parts.reduce((sum, { cost }) => sum + cost, 0.4 * (parts.length - 1))

/** Parts of which any is enough, as one. */
export function either(parts: readonly Atom[]): Atom {
  return {
    clauses: parts.flatMap(({ clauses }) => clauses),
    linked: parts.reduce((sum, { linked }) => sum + linked, 0),
    cost: costOfAny(parts),
    holds: parts.map(({ holds }) => holds).reduce((a, b) => a.or(b)),
    held: parts.map(({ held }) => held).reduce((a, b) => a.or(b)),
  }
}
