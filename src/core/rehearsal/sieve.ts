import { type Condition, isClause, jointOf } from '../document/condition'
import { type AliveLine, aliveLines } from './lines'

/** One step of a sieve: what lets a change through it, and the lines inside it that are counted among those that came to it. */
export interface Step {
  /** The line that the step is, by JSON Pointer; null where it is no line of its own. */
  readonly path: string | null
  /** Paths of this and of what stands inside it start with this. */
  readonly at: string
  readonly lets: Condition
  readonly inside: readonly AliveLine[]
}

/** The steps of a condition one after the other: each child of all and of none is one, anything else is one as a whole. Muted clauses are left out. */
export function sieveOf(condition: Condition | undefined): Step[] {
  if (!condition || (isClause(condition) && condition.muted)) return []
  const at = '/conditions'
  if (isClause(condition)) return [{ path: at, at, lets: condition, inside: [] }]
  const [joint, children] = jointOf(condition)
  if (joint === 'any') return [{ path: null, at, lets: condition, inside: aliveLines(condition) }]
  return children.flatMap((child, i): Step[] => {
    if (isClause(child) && child.muted) return []
    const path = `${at}/${joint}/${i}`
    if (joint === 'none') return [{ path, at: path, lets: { none: [child] }, inside: [] }]
    return [{ path, at: path, lets: child, inside: isClause(child) ? [] : aliveLines(child, path).slice(1) }]
  })
}

/** How many changes passed each line of a sieve, and all of it. */
export interface Sifted {
  readonly alive: Map<string, number>
  readonly passed: number
}

/**
 * Reads what a sieve came to from its keys: for each step a `0` or `1` for each line inside it, then `+` where the change passed and `-` where the key ends;
 * what follows the last step is ignored.
 */
export function readKeys(steps: readonly Step[], keys: readonly { readonly key: string; readonly count: number }[]): Sifted {
  const alive = new Map<string, number>(steps.flatMap((s) => [...(s.path ? [s.path] : []), ...s.inside.map((l) => l.path)]).map((path) => [path, 0]))
  const add = (path: string, count: number) => alive.set(path, (alive.get(path) ?? 0) + count)
  let passed = 0
  for (const { key, count } of keys) {
    let i = 0
    let isIn = true
    for (const step of steps) {
      for (const line of step.inside) if (key[i++] === '1') add(line.path, count)
      isIn = key[i++] === '+'
      if (!isIn) break
      if (step.path) add(step.path, count)
    }
    if (isIn) passed += count
  }
  return { alive, passed }
}
