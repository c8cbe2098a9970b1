import type { ChangeKind } from '../changes/change'
import { type Condition, isClause } from '../document/condition'
import { Bits } from './bits'
import type { Observed } from './observed'

/** How many changes are alive at the cue and after each clause of proposed conditions, by JSON Pointer into a document that has all of their parts under `all`; of clauses of which any is enough, how many each lets through of what came to them. */
export function aliveOf(observed: Observed, on: readonly ChangeKind[], condition: Condition | null): Record<string, number> {
  let left = observed.ofKinds(on)
  const alive: Record<string, number> = { '/cue': left.count() }
  const parts =
    condition === null ? [] : 'all' in condition ? condition.all.map((part, i) => ({ part, path: `/conditions/all/${i}` })) : [{ part: condition, path: '/conditions/all/0' }]
  for (const { part, path } of parts) {
    if (isClause(part)) {
      left = left.and(observed.sides(part).holds)
      alive[path] = left.count()
      continue
    }
    let through = new Bits(observed.size)
    if ('any' in part)
      part.any.forEach((clause, k) => {
        if (!isClause(clause)) return
        const passed = left.and(observed.sides(clause).holds)
        alive[`${path}/any/${k}`] = passed.count()
        through = through.or(passed)
      })
    left = through
  }
  return alive
}
