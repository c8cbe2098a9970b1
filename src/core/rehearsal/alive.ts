import type { ClauseResult } from '../conditions/compile'
import { type Condition, isClause, jointOf } from '../document/condition'
import { must } from '../must'

/** Whether each node of a condition held, by its path, from what its clauses came to. */
export function holdsByPath(node: Condition, path: string, results: ReadonlyMap<string, ClauseResult>, into = new Map<string, boolean>()): Map<string, boolean> {
  if (isClause(node)) return into.set(path, node.muted ? true : (results.get(path)?.holds ?? false))
  const [joint, children] = jointOf(node)
  const open = children.map((child, i) => ({ child, at: `${path}/${joint}/${i}` })).filter(({ child }) => !(isClause(child) && child.muted))
  for (const { child, at } of open) holdsByPath(child, at, results, into)
  const each = open.map(({ at }) => must(into.get(at)))
  return into.set(path, joint === 'all' ? each.every(Boolean) : joint === 'any' ? each.some(Boolean) : !each.some(Boolean))
}

/** Whether a change is alive at a line: the line itself lets it through, and so does all that stands before it on the way there. */
export function isAlive(line: string, condition: Condition, holds: ReadonlyMap<string, boolean>): boolean {
  let node = condition
  let path = '/conditions'
  while (path !== line) {
    if (isClause(node)) return false
    const [joint, children] = jointOf(node)
    const index = Number(line.slice(`${path}/${joint}/`.length).split('/')[0])
    const before = children
      .slice(0, index)
      .map((child, i) => ({ child, at: `${path}/${joint}/${i}` }))
      .filter(({ child }) => !(isClause(child) && child.muted))
    if (joint === 'all' && !before.every(({ at }) => holds.get(at))) return false
    if (joint === 'none' && before.some(({ at }) => holds.get(at))) return false
    path = `${path}/${joint}/${index}`
    if (joint === 'none') return path === line && !holds.get(path)
    node = must(children[index])
  }
  return holds.get(line) ?? false
}
