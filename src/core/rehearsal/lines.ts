import { type Condition, isClause, joined, jointOf } from '../document/condition'

/** A line of the conditions, and what must hold of a change for it to be alive there. */
export interface AliveLine {
  /** JSON Pointer into the workflow document. */
  readonly path: string
  readonly alive: Condition
  /** What had to be met just before it; null where nothing had. */
  readonly before: Condition | null
}

/**
 * The lines of a condition in reading order, each with what a change has to meet to be alive there: within all (and none) whatever stands before it too,
 * within any only itself. Muted clauses are left out.
 */
export function aliveLines(condition: Condition, path = '/conditions', before: readonly Condition[] = []): AliveLine[] {
  if (isClause(condition)) return condition.muted ? [] : [lineOf(path, before, condition)]
  const [joint, children] = jointOf(condition)
  const open = children.map((child, i) => ({ child, path: `${path}/${joint}/${i}` })).filter(({ child }) => !(isClause(child) && child.muted))
  const lines: AliveLine[] = path === '/conditions' ? [] : [lineOf(path, before, condition)]
  const passed: Condition[] = [...before]
  for (const { child, path: at } of open) {
    const let_ = joint === 'none' ? joined('none', [child]) : child
    if (joint === 'none') lines.push(lineOf(at, passed, let_))
    else lines.push(...aliveLines(child, at, joint === 'any' ? before : passed))
    if (joint !== 'any') passed.push(let_)
  }
  return lines
}

function lineOf(path: string, before: readonly Condition[], own: Condition): AliveLine {
  if (before.length === 0) return { path, alive: own, before: null }
  return { path, alive: { all: [...before, own] }, before: { all: [...before] } }
}
