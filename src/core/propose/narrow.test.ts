import { Chance } from '../../../tests/soak/chance'
import { pastOf, ruleWithPast } from '../../../tests/support/past'
import { narrowBy } from './narrow'
import { digitsOf } from './round'

test('a clause to add leaves out all that is marked no, keeps all that is marked yes, and says what else would go', () => {
  const { observed, fires } = ruleWithPast(4, 300, 10)
  const firings = observed.only(fires)
  const marks = { yes: [0, 2, 4], no: [5] }
  const found = narrowBy(firings, marks)
  expect(found.length).toBeGreaterThan(0)
  for (const { clause, goes } of found) {
    expect(goes).toContain(5)
    for (const kept of marks.yes) expect(goes).not.toContain(kept)
    expect(firings.sides(clause).holds.count()).toBe(firings.size - goes.length)
  }
  expect(narrowBy(firings, { yes: [0], no: [] })).toEqual([])
})

test('two changes that are the same in everything are told apart by nothing', () => {
  const one = pastOf(new Chance(9), 40)
  const twice = one.only([7, 7])
  expect(narrowBy(twice, { yes: [0], no: [1] })).toEqual([])
})

test.each([
  [1_000, 1],
  [25, 1.5],
  [1_250, 2.5],
  [37, 2],
  [0.5, 1.5],
  [0, 1],
])('%d counts as %d digits', (value, digits) => expect(digitsOf(value)).toBe(digits))
