import { type Condition, isClause } from '../conditions/clause'

/** A line of the conditions, and what must hold of a change for it to be alive there. */
export interface AliveLine {
  /** JSON Pointer into the workflow document. */
  readonly path: string
  readonly alive: Condition
}

type Joint = 'all' | 'any' | 'none'

/**
 * The lines of a condition in reading order, each with what a change has to meet to be alive there: within all (and none) whatever stands before it too,
 * within any only itself. Muted clauses are left out.
 */
export function aliveLines(condition: Condition, path = '/conditions', before: readonly Condition[] = []): AliveLine[] {
  if (isClause(condition)) return condition.muted ? [] : [{ path, alive: both(before, condition) }]
  const [joint, children] = Object.entries(condition)[0] as [Joint, Condition[]]
  const open = children.map((child, i) => ({ child, path: `${path}/${joint}/${i}` })).filter(({ child }) => !(isClause(child) && child.muted))
  const lines: AliveLine[] = path === '/conditions' ? [] : [{ path, alive: both(before, condition) }]
  const passed: Condition[] = [...before]
  for (const { child, path: at } of open) {
    const let_ = joint === 'none' ? ({ none: [child] } as Condition) : child
    if (joint === 'none') lines.push({ path: at, alive: both(passed, let_) })
    else lines.push(...aliveLines(child, at, joint === 'any' ? before : passed))
    if (joint !== 'any') passed.push(let_)
  }
  return lines
}

const both = (before: readonly Condition[], last: Condition): Condition => (before.length ? { all: [...before, last] } : last)
