import { Chance } from '../../../tests/soak/chance'
import { ordersTable, pastOf } from '../../../tests/support/past'
import { compileCondition } from '../conditions/compile'
import type { Clause } from '../document/condition'
import { must } from '../must'
import { Bits } from './bits'
import { candidatesFor, placesOf } from './candidates'
import { Seen } from './seen'

const PAST = pastOf(new Chance(11), 240, { table: ordersTable(6) })

/** Clauses that some marks of this past suggest: a few of each operator. */
function someClauses(): Clause[] {
  const marked = PAST.only(Array.from({ length: 16 }, (_, i) => i * 15))
  const of = new Map<string, Clause[]>()
  for (const { clause } of candidatesFor(placesOf(PAST), { marked, yes: 8, own: PAST, beside: PAST })) {
    const key = `${clause.op} ${typeof clause.value === 'object' && clause.value !== null ? Object.keys(clause.value) : ''}`
    const list = of.get(key) ?? []
    if (!of.has(key)) of.set(key, list)
    if (list.length < 12) list.push(clause)
  }
  return [...of.values()].flat()
}

const CLAUSES = someClauses()

test('clauses of every way of being looked at are among them', () => {
  const ops = new Set(CLAUSES.map(({ op }) => op))
  for (const op of ['at least', 'at most', 'less than', 'more than', 'between', 'crossed above', 'within next', 'is', 'is one of', 'contains', 'changed', 'rose'] as const)
    expect(ops).toContain(op)
  expect(CLAUSES.some(({ value }) => typeof value === 'object' && value !== null && 'field' in value)).toBe(true)
  expect(CLAUSES.some(({ field }) => field.includes('.'))).toBe(true)
})

test('what clauses come to over many changes is what the language says of each, now and before', () => {
  for (const clause of CLAUSES) {
    const { test: holdsAt } = compileCondition(clause, PAST.table, PAST.setting, '')
    const { holds, held } = PAST.sides(clause)
    const wrong = PAST.observations.flatMap((_, i) => {
      const facts = PAST.factsAt(i)
      const isNew = PAST.kindAt(i) !== 'changed'
      const before = !isNew && holdsAt({ ...facts, after: facts.before })
      return holdsAt(facts) === holds.has(i) && before === held.has(i) ? [] : [i]
    })
    expect([clause, wrong]).toEqual([clause, []])
  }
})

test('the same of some of them, in another order', () => {
  const places = Array.from({ length: 40 }, (_, i) => 239 - i * 5)
  const some = PAST.only(places)
  for (const clause of CLAUSES) {
    const [all, few] = [PAST.sides(clause), some.sides(clause)]
    expect([clause, few.holds.members()]).toEqual([clause, places.flatMap((place, i) => (all.holds.has(place) ? [i] : []))])
    expect([clause, few.held.members().length]).toEqual([clause, places.filter((place) => must(all.held).has(place)).length])
  }
})

test('the same of what is marked and of a sample behind it, each change once', () => {
  const marked = Array.from({ length: 35 }, (_, i) => i * 4)
  const sampled = PAST.placesSpread(60)
  const isMarked = (place: number) => marked.includes(place)
  const seen = new Seen(
    PAST.only(marked),
    PAST.spread(60),
    Bits.of(60, (k) => !isMarked(must(sampled[k]))),
  )
  const others = sampled.filter((place) => !isMarked(place))
  expect([others.length < 60, seen.count]).toEqual([true, marked.length + others.length])
  const placesIn = (bits: Bits) => bits.members().map((i) => (i < 64 ? marked[i] : sampled[i - 64]))
  for (const clause of CLAUSES) {
    const [all, some] = [PAST.sides(clause), seen.sides(clause)]
    expect([clause, placesIn(some.holds)]).toEqual([clause, [...marked, ...others].filter((place) => all.holds.has(place))])
    expect([clause, placesIn(some.held)]).toEqual([clause, [...marked, ...others].filter((place) => all.held.has(place))])
  }
  expect(placesIn(seen.fresh)).toEqual([...marked, ...others].filter((place) => PAST.fresh.has(place)))
})
