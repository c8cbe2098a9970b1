import type { ChangeKind } from '../changes/change'
import type { Condition } from '../document/condition'
import { must } from '../must'
import { atomsFor } from './atoms'
import { candidatesFor, type Marks } from './candidates'
import type { Observed } from './observed'
import { asWritten, type Hypothesis, searchIn } from './search'

/** Conditions that agree with every mark. */
export interface Proposal {
  readonly on: readonly ChangeKind[]
  readonly firing: 'entering' | 'every'
  /** Null: every change of these kinds. */
  readonly condition: Condition | null
  /** The changes that it fires for, as places among the observations. */
  readonly fires: readonly number[]
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

/** How many are weighed when the next question is looked for. */
const WEIGHED = 300

/**
 * Conditions of the language that agree with marks on past changes, the simplest first, and the change to be asked about next.
 * The more a set of conditions says in little, and the fewer unmarked changes it lets through, the likelier it is (the size principle: Tenenbaum and Griffiths, "Generalization, similarity,
 * and Bayesian inference", 2001); the question is the one whose answer halves what is likely best (Freund, Seung, Shamir and Tishby, "Selective sampling using the query by committee
 * algorithm", 1997). The same marks on the same changes get the same answer.
 */
export function propose(observed: Observed, marks: Marks): Proposed {
  if (marks.yes.length === 0) return { proposals: [], ask: null, alike: [] }
  const candidates = candidatesFor(observed, marks)
  const atoms = atomsFor(observed, marks, candidates)
  const found = searchIn(observed, marks, atoms).slice(0, WEIGHED)
  if (found.length === 0) return { proposals: [], ask: null, alike: alikeIn(observed, marks, candidates) }
  const best = must(found[0]).score
  const weights = found.map((h) => 2 ** (h.score - best))
  const total = weights.reduce((sum, w) => sum + w, 0)
  const likely = found.filter((_, i) => must(weights[i]) / total >= LEAST_LIKELY)
  const shown = (likely.length ? likely : found.slice(0, 1)).slice(0, MOST).sort(asWritten)
  return { proposals: shown.map(proposalOf), ask: questionAmong(observed, marks, found, weights, total), alike: [] }
}

function proposalOf({ on, firing, condition, fires }: Hypothesis): Proposal {
  const places: number[] = []
  fires.each((i) => places.push(i))
  return { on, firing, condition, fires: places }
}

/** The unmarked change on which what is likely is divided most evenly, the latest of several; null where it is of one mind. */
function questionAmong(observed: Observed, marks: Marks, found: readonly Hypothesis[], weights: readonly number[], total: number): number | null {
  const votes = new Float64Array(observed.size)
  found.forEach(({ fires }, k) => {
    const weight = must(weights[k]) / total
    fires.each((i) => {
      votes[i] = must(votes[i]) + weight
    })
  })
  const marked = new Set([...marks.yes, ...marks.no])
  let [ask, most]: [number | null, number] = [null, LEAST_LIKELY]
  for (let i = observed.size - 1; i >= 0; i--) {
    const vote = must(votes[i])
    const divided = Math.min(vote, 1 - vote)
    if (divided > most && !marked.has(i)) [ask, most] = [i, divided]
  }
  return ask
}

/** Changes marked differently at which every clause that the marks suggest comes to the same. */
function alikeIn(observed: Observed, marks: Marks, candidates: ReturnType<typeof candidatesFor>): (readonly [number, number])[] {
  const places = [...marks.yes, ...marks.no]
  const signs = places.map((i) => [observed.kindAt(i)].join())
  for (const { clause } of candidates) {
    const { holds, held } = observed.sidesAt(clause, places)
    places.forEach((_, i) => {
      signs[i] += `${holds.has(i) ? 1 : 0}${held.has(i) ? 1 : 0}`
    })
  }
  return marks.yes.flatMap((yes, i) => marks.no.flatMap((no, k) => (signs[i] === signs[marks.yes.length + k] ? [[yes, no] as const] : [])))
}
