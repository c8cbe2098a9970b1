import { Chance } from '../../../tests/soak/chance'
import { pastOf } from '../../../tests/support/past'
import type { Clause } from '../document/condition'
import { aliveOf } from './alive'

test('changes are alive at a line as they would be in its brief: all that came before hold, and of several of which any is enough each is counted', () => {
  const observed = pastOf(new Chance(2), 200)
  const closed: Clause = { field: 'status', op: 'is', value: 'Closed' }
  const web: Clause = { field: 'channel', op: 'is', value: 'Web' }
  const large: Clause = { field: 'amount', op: 'at least', value: 2_000 }
  const has = (clause: Clause, i: number) => observed.sides(clause).holds.has(i)
  const changed = Array.from({ length: 200 }, (_, i) => i).filter((i) => observed.kindAt(i) === 'changed')
  const alive = aliveOf(observed, ['changed'], { all: [closed, { any: [web, large] }] })
  expect(alive).toEqual({
    '/cue': changed.length,
    '/conditions/all/0': changed.filter((i) => has(closed, i)).length,
    '/conditions/all/1/any/0': changed.filter((i) => has(closed, i) && has(web, i)).length,
    '/conditions/all/1/any/1': changed.filter((i) => has(closed, i) && has(large, i)).length,
  })
  expect(aliveOf(observed, ['changed'], null)).toEqual({ '/cue': changed.length })
})
