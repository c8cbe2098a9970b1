import { CHANGE_KINDS } from '../changes/change'
import type { Clause, Op } from '../document/condition'
import { PER_CLAUSE } from './atoms'
import { Bits } from './bits'
import { candidatesFor, type Marks, PER_COST, placesOf } from './candidates'
import type { Observed } from './observed'

/** A clause that, put beside the conditions that fired, would have kept what is marked no from firing. */
export interface Narrowed {
  readonly clause: Clause
  /** The changes that would not fire any more, as places, those marked no among them. */
  readonly goes: readonly number[]
}

const MOST = 5

/** Others that are taken as right while none is marked so. */
const TAKEN_AS_RIGHT = 12

/** What goes besides counts against a clause at least as if so many were marked no. */
const LEAST_EVIDENCE = 4

/** What leaves something out says less of what is to come than what lets only something through. */
const NEGATIONS: ReadonlySet<Op> = new Set(['is not', 'is none of', 'is blank'])
const NEGATED = 1.2

const SAMPLE = 960

/**
 * Clauses to be added to a workflow, of whose firings some are marked no: each holds at all that are marked yes and at none that is marked no. The simplest and those by which the least else
 * would go stand first, by the size principle for what goes (as in `propose`).
 */
export function narrowBy(observed: Observed, marks: Marks): Narrowed[] {
  const no = Bits.among(observed.size, marks.no)
  const yes = Bits.among(observed.size, marks.yes)
  const others = Array.from({ length: observed.size }, (_, i) => observed.size - 1 - i).filter((i) => !no.has(i))
  const right = marks.yes.length ? marks.yes : others.slice(0, TAKEN_AS_RIGHT)
  if (marks.no.length === 0) return []
  const marked = observed.only([...right, ...marks.no])
  const found = new Map<string, { narrowed: Narrowed; score: number }>()
  for (const { clause, cost } of candidatesFor(placesOf(observed), { marked, yes: right.length, own: observed, beside: observed.spread(SAMPLE) })) {
    const { holds } = observed.sides(clause)
    if (holds.meets(no) || !holds.includes(yes)) continue
    const goes = observed.ofKinds(CHANGE_KINDS).without(holds).members()
    const score = -PER_CLAUSE - PER_COST * (cost - (NEGATIONS.has(clause.op) ? NEGATED : 0)) - Math.max(LEAST_EVIDENCE, marks.no.length) * Math.log2(goes.length)
    const key = holds.key()
    const known = found.get(key)
    if (!known || known.score < score) found.set(key, { narrowed: { clause, goes }, score })
  }
  return [...found.values()]
    .sort((a, b) => b.score - a.score)
    .slice(0, MOST)
    .map((f) => f.narrowed)
}
