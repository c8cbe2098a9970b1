import type { ChangeKind } from '../changes/change'
import type { Condition } from '../document/condition'
import { type Atom, type Atoms, MOST_EVIDENCE } from './atoms'
import { Bits } from './bits'
import type { Marks } from './candidates'
import type { Observed } from './observed'

/** Conditions with a cue that agree with every mark, and the changes that they fire for. */
export interface Hypothesis {
  readonly on: readonly ChangeKind[]
  readonly firing: 'entering' | 'every'
  readonly condition: Condition | null
  readonly clauses: number
  readonly linked: number
  readonly cost: number
  readonly hasAny: boolean
  readonly fires: Bits
  /** How much speaks for it, in bits: what it says in little, and how few it lets through that were not marked. */
  readonly score: number
}

const MOST_CLAUSES = 3

/** How many sets of clauses are kept at each size to be tried with one more. */
const BEAM = [0, 150, 100] as const

/** What a change that should not have been told of counts against a set that is to grow still. */
const WRONG = 18

interface Growing {
  readonly atoms: readonly Atom[]
  readonly holds: Bits
  readonly held: Bits
}

/** The kinds of changes that a cue may wait for: those marked yes, and created and changed ones together. */
function cuesFor(observed: Observed, marks: Marks): ChangeKind[][] {
  const kinds = (['created', 'changed', 'deleted'] as const).filter((kind) => marks.yes.some((i) => observed.kindAt(i) === kind))
  return kinds.length === 1 && kinds[0] !== 'deleted' ? [kinds, ['created', 'changed']] : [kinds]
}

/**
 * All sets of up to three parts, at most one of them an `any`, that agree with every mark. Single parts are all tried, and so are pairs of the best 150 parts with all others, and threes of
 * the best 100 pairs: at most `|whole| · (1 + 150 + 100)` sets, each in `size / 32` steps. A part that does not hold at a change marked yes is in no set that agrees, so none is missed by
 * leaving it out; what is missed by the beam is a pair or a three none of whose smaller sets is among the best.
 */
export function searchIn(observed: Observed, marks: Marks, { whole }: Atoms): Hypothesis[] {
  const yes = bitsOf(observed, marks.yes)
  const no = bitsOf(observed, marks.no)
  const found = new Map<string, Hypothesis>()
  const cues = cuesFor(observed, marks).map((on) => ({ on, among: Bits.of(observed.size, (i) => on.includes(observed.kindAt(i))) }))
  const fresh = observed.created.or(observed.deleted)
  const evidence = Math.min(MOST_EVIDENCE, marks.yes.length)
  const all = new Bits(observed.size, new Uint32Array(yes.words.length).fill(0xffffffff))

  /** Keeps what agrees with every mark; answers how good the best of it is, whether it agrees or not, or null where it does not fire at all that is marked yes. */
  const judge = ({ atoms, holds, held }: Growing): number | null => {
    let best: number | null = null
    for (const [at, { on, among }] of cues.entries())
      for (const firing of ['entering', 'every'] as const) {
        if (firing === 'every' && atoms.length === 0) continue
        const lets = holds.and(among)
        const fires = firing === 'every' || atoms.length === 0 ? lets : lets.without(held.without(fresh))
        if (!fires.includes(yes)) continue
        const clauses = atoms.reduce((sum, a) => sum + a.clauses, 0)
        if (clauses > MOST_CLAUSES) continue
        const cost = atoms.reduce((sum, a) => sum + a.cost, 0) + (firing === 'every' ? 0.7 : 0) + at * 0.3
        const score = -(3 * clauses + 2 * cost) - evidence * Math.log2(fires.count())
        const wrong = fires.and(no).count()
        best = Math.max(best ?? Number.NEGATIVE_INFINITY, score - WRONG * wrong)
        if (wrong === 0)
          keep(found, {
            on,
            firing,
            condition: joinedUp(atoms),
            clauses,
            linked: atoms.reduce((sum, a) => sum + a.linked, 0),
            cost,
            hasAny: atoms.some((a) => a.isAny),
            fires,
            score,
          })
      }
    return best
  }

  judge({ atoms: [], holds: all, held: all })
  let level: Growing[] = []
  const ranked: { growing: Growing; score: number }[] = []
  for (const atom of whole) {
    const growing = { atoms: [atom], holds: atom.holds, held: atom.held }
    const score = judge(growing) ?? judgeLoosely(growing, yes)
    if (score !== null) ranked.push({ growing, score })
  }
  for (let size = 1; size < MOST_CLAUSES; size++) {
    level = ranked
      .splice(0)
      .sort((a, b) => b.score - a.score)
      .slice(0, BEAM[size])
      .map((r) => r.growing)
    const seen = new Set<string>()
    for (const { atoms, holds, held } of level)
      for (const atom of whole) {
        if (atoms.includes(atom) || (atom.isAny && atoms.some((a) => a.isAny))) continue
        const key = [...atoms, atom]
          .map((a) => whole.indexOf(a))
          .sort((a, b) => a - b)
          .join(' ')
        if (seen.has(key)) continue
        seen.add(key)
        const growing = { atoms: [...atoms, atom], holds: holds.and(atom.holds), held: held.and(atom.held) }
        const score = judge(growing) ?? judgeLoosely(growing, yes)
        if (score !== null) ranked.push({ growing, score })
      }
  }
  return [...found.values()].sort((a, b) => b.score - a.score)
}

/** A set that holds at all that is marked yes but held before at some of it may fire there with one more. */
function judgeLoosely({ atoms, holds }: Growing, yes: Bits): number | null {
  return holds.includes(yes) ? -60 - 3 * atoms.length - Math.log2(holds.count()) : null
}

const bitsOf = (observed: Observed, places: readonly number[]) => {
  const bits = new Bits(observed.size)
  for (const i of places) bits.add(i)
  return bits
}

/** Of those that fire for the same changes, the one that is said most simply is kept. */
function keep(found: Map<string, Hypothesis>, given: Hypothesis): void {
  const key = given.fires.key()
  const known = found.get(key)
  if (!known || asWritten(given, known) < 0) found.set(key, given)
}

/** The order in which proposals are shown: fewer clauses first, all before any, own fields before those beside, then those that let fewer changes through. */
export function asWritten(a: Hypothesis, b: Hypothesis): number {
  return (
    a.clauses - b.clauses ||
    Number(a.hasAny) - Number(b.hasAny) ||
    a.linked - b.linked ||
    a.fires.count() - b.fires.count() ||
    a.cost - b.cost ||
    (JSON.stringify(a.condition) < JSON.stringify(b.condition) ? -1 : 1)
  )
}

function joinedUp(atoms: readonly Atom[]): Condition | null {
  const conditions = [...atoms].sort((a, b) => Number(a.isAny) - Number(b.isAny) || a.linked - b.linked).map((a) => a.condition)
  return conditions.length > 1 ? { all: conditions } : (conditions[0] ?? null)
}
