import { CHANGE_KINDS, type ChangeKind } from '../changes/change'
import type { Condition } from '../document/condition'
import { must } from '../must'
import { aliveOf } from './alive'
import { atomsFor, conditionOf, type Effort, evidenceOf, type View } from './atoms'
import { Bits } from './bits'
import { type Candidate, candidatesFor, type Marks, placesOf } from './candidates'
import type { Observed } from './observed'
import { type Hypothesis, searchIn, unlikely } from './search'
import { Seen } from './seen'

/** Conditions that agree with every mark. */
export interface Proposal {
  readonly on: readonly ChangeKind[]
  readonly firing: 'entering' | 'every'
  /** Null: every change of these kinds. */
  readonly condition: Condition | null
  /** The changes that it fires for, as places among the observations. */
  readonly fires: readonly number[]
  /** How many changes are alive at each line of its brief, by JSON Pointer. */
  readonly alive: Readonly<Record<string, number>>
}

/** What marks come to. */
export interface Proposed {
  readonly proposals: readonly Proposal[]
  /** The change to ask about next, by its place; null where what is left says the same of every change. */
  readonly ask: number | null
  /** Changes of which one is marked yes and one no, and that differ in nothing that conditions can tell. */
  readonly alike: readonly (readonly [number, number])[]
}

/** Most proposals that are shown. */
const MOST = 5

/** Proposals less likely than this, of all there are, are not shown, and no question is asked for their sake. */
const LEAST_LIKELY = 0.02

/** A change by which less than this is told is not asked about. */
const LEAST_ASKED = 2 ** -14

/** How many are looked at over all changes. */
const WEIGHED = 800
const LEAST_WEIGHED = 40

/** Fewer are where there are many changes: so many changes are looked at with a hypothesis in all. */
const WEIGHED_ROWS = 1_000_000

/** How many changes tell which values there are, between which limits may lie. */
const VALUES = 3_000

/** How much is looked at; of tables with many fields, linked ones among them, less of each. */
const EFFORT: Effort = { sample: 960, viewed: 4_000, ways: 700 }
const EFFORT_WIDE: Effort = { sample: 480, viewed: 2_500, ways: 400 }
const WIDE = 100

/** A hypothesis over all changes. */
interface Weighed extends Hypothesis {
  readonly fires: Bits
  readonly all: number
  readonly condition: Condition | null
}

/**
 * Conditions of the language that agree with marks on past changes, the simplest first, and the change to be asked about next.
 * The more a set of conditions says in little, and the fewer unmarked changes it lets through, the likelier it is (the size principle: Tenenbaum and Griffiths, "Generalization, similarity,
 * and Bayesian inference", 2001); the question is the one whose answer halves what is likely best (Freund, Seung, Shamir and Tishby, "Selective sampling using the query by committee
 * algorithm", 1997). The same marks on the same changes get the same answer.
 */
export function propose(observed: Observed, marks: Marks): Proposed {
  if (marks.yes.length === 0) return { proposals: [], ask: null, alike: [] }
  const places = placesOf(observed)
  const view = viewOf(observed, marks, places.length > WIDE ? EFFORT_WIDE : EFFORT)
  const candidates = candidatesFor(places, { marked: view.marked, yes: marks.yes.length, own: observed.spread(VALUES), beside: sampleOf(observed, view.effort) })
  const most = Math.max(LEAST_WEIGHED, Math.min(WEIGHED, Math.floor(WEIGHED_ROWS / observed.size)))
  const found = weighed(observed, marks, searchIn(view, atomsFor(view, candidates), most))
  const [best] = found
  if (!best) return { proposals: [], ask: null, alike: alikeIn(view.marked, marks, candidates) }
  const weights = found.map((h) => 2 ** (h.score - best.score))
  const total = weights.reduce((sum, w) => sum + w, 0)
  const likely = found.filter((_, i) => must(weights[i]) / total >= LEAST_LIKELY)
  const shown = (likely.length ? likely : [best]).slice(0, MOST).sort(asWritten)
  return { proposals: shown.map((weighed) => proposalOf(observed, weighed)), ask: questionAmong(observed, marks, found, weights, total), alike: [] }
}

/** The changes of which a sample is made, spread evenly. */
const sampleOf = (observed: Observed, { sample }: Effort) => observed.spread(sample)

/** The marked changes and a sample of the others. */
function viewOf(observed: Observed, marks: Marks, effort: Effort): View {
  const places = [...marks.yes, ...marks.no]
  const isMarked = new Set(places)
  const sampled = observed.placesSpread(effort.sample)
  const marked = observed.only(places)
  const seen = new Seen(
    marked,
    sampleOf(observed, effort),
    Bits.of(sampled.length, (k) => !isMarked.has(must(sampled[k]))),
  )
  return {
    seen,
    marked,
    yes: Bits.of(seen.size, (i) => i < marks.yes.length),
    no: Bits.of(seen.size, (i) => i >= marks.yes.length && i < places.length),
    scale: Math.max(1, observed.size / effort.sample),
    effort,
  }
}

/** Hypotheses over all changes: of those that fire for the same, the one that is said most simply; the likeliest first. */
function weighed(observed: Observed, marks: Marks, hypotheses: readonly Hypothesis[]): Weighed[] {
  const [yes, no] = [Bits.among(observed.size, marks.yes), Bits.among(observed.size, marks.no)]
  const evidence = evidenceOf(marks.yes.length)
  const found = new Map<string, Weighed>()
  for (const hypothesis of hypotheses) {
    const fires = firesOf(observed, hypothesis)
    if (!fires.includes(yes) || fires.meets(no)) continue
    const all = fires.count()
    const one: Weighed = {
      ...hypothesis,
      fires,
      all,
      condition: joinedUp(hypothesis),
      score: -unlikely(hypothesis.clauses, hypothesis.cost) - evidence * Math.log2(all),
    }
    const key = fires.key()
    const known = found.get(key)
    if (!known || asWritten(one, known) < 0) found.set(key, one)
  }
  return [...found.values()].sort((a, b) => b.score - a.score)
}

function firesOf(observed: Observed, { on, firing, atoms }: Hypothesis): Bits {
  let holds = observed.ofKinds(on)
  if (atoms.length === 0) return holds
  let held = observed.ofKinds(CHANGE_KINDS)
  for (const { clauses } of atoms) {
    const sides = clauses.map((clause) => observed.sides(clause)).reduce((a, b) => ({ holds: a.holds.or(b.holds), held: a.held.or(b.held) }))
    holds = holds.and(sides.holds)
    held = held.and(sides.held)
  }
  return firing === 'every' ? holds : holds.without(held.without(observed.fresh))
}

function joinedUp({ atoms }: Hypothesis): Condition | null {
  const conditions = [...atoms].sort((a, b) => a.clauses.length - b.clauses.length || a.linked - b.linked).flatMap((atom) => conditionOf(atom) ?? [])
  return conditions.length > 1 ? { all: conditions } : (conditions[0] ?? null)
}

/** Clauses, a range as the two limits that it is. */
const limitsIn = ({ clauses, atoms }: Weighed) => clauses + atoms.reduce((sum, atom) => sum + atom.clauses.filter(({ op }) => op === 'between').length, 0)

/** The order in which proposals are shown: fewer clauses first, all before any, own fields before those beside, then those that let fewer changes through. */
function asWritten(a: Weighed, b: Weighed): number {
  const hasAny = ({ atoms }: Weighed) => Number(atoms.some((atom) => atom.clauses.length > 1))
  return (
    limitsIn(a) - limitsIn(b) ||
    hasAny(a) - hasAny(b) ||
    a.linked - b.linked ||
    a.all - b.all ||
    a.cost - b.cost ||
    (JSON.stringify(a.condition) < JSON.stringify(b.condition) ? -1 : 1)
  )
}

function proposalOf(observed: Observed, { on, firing, condition, fires }: Weighed): Proposal {
  return { on, firing, condition, fires: fires.members(), alive: aliveOf(observed, on, condition) }
}

/** The unmarked change on which what is likely is divided most evenly, the latest of several; null where it is of one mind. */
function questionAmong(observed: Observed, marks: Marks, found: readonly Weighed[], weights: readonly number[], total: number): number | null {
  const votes = new Float64Array(observed.size)
  found.forEach(({ fires }, k) => {
    const weight = must(weights[k]) / total
    fires.each((i) => {
      votes[i] = must(votes[i]) + weight
    })
  })
  const marked = new Set([...marks.yes, ...marks.no])
  let [ask, most]: [number | null, number] = [null, LEAST_ASKED]
  for (let i = observed.size - 1; i >= 0; i--) {
    const vote = must(votes[i])
    const divided = Math.min(vote, 1 - vote)
    if (divided > most && !marked.has(i)) [ask, most] = [i, divided]
  }
  return ask
}

/** Changes marked differently at which every clause that the marks suggest comes to the same. */
function alikeIn(marked: Observed, marks: Marks, candidates: readonly Candidate[]): (readonly [number, number])[] {
  const signs = Array.from({ length: marked.size }, (_, i): string => marked.kindAt(i))
  for (const { clause } of candidates) {
    const { holds, held } = marked.sides(clause)
    for (let i = 0; i < marked.size; i++) signs[i] += `${holds.has(i) ? 1 : 0}${held.has(i) ? 1 : 0}`
  }
  return marks.yes.flatMap((yes, i) => marks.no.flatMap((no, k) => (signs[i] === signs[marks.yes.length + k] ? [[yes, no] as const] : [])))
}
