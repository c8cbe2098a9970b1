import type { Wording } from '../conditions/sentence'
import type { Workflow } from '../document/document'
import { valueAt } from '../document/pointer'
import { membersOf } from '../must'
import { briefOf, type Line } from './brief'

/** A line that one of two versions has and the other has not, or has with other contents. */
export interface Difference {
  readonly what: 'added' | 'removed' | 'changed'
  readonly role: string
  readonly words: string
  /** What the words do not say: which parts of the line differ. */
  readonly parts: readonly string[]
}

const keyOf = (line: Line) => `${line.role} ${line.words}`

/** What changed from one version of a workflow to another, line by line, in words. */
export function differences(from: Workflow, to: Workflow, wording: Wording): Difference[] {
  const [old, next] = [briefOf(from, wording), briefOf(to, wording)]
  const oldKeys = new Map(old.map((line) => [keyOf(line), line]))
  const nextKeys = new Set(next.map(keyOf))
  const removed = old.filter((line) => !nextKeys.has(keyOf(line))).map((line) => asDifference('removed', line))
  const others = next.flatMap((line) => {
    const before = oldKeys.get(keyOf(line))
    if (!before) return [asDifference('added', line)]
    const parts = partsThatDiffer(valueAt(from, before.path), valueAt(to, line.path))
    return parts.length ? [{ ...asDifference('changed', line), parts }] : []
  })
  return [...removed, ...others]
}

function asDifference(what: Difference['what'], { role, kind, words }: Line): Difference {
  return { what, role: role || (kind === 'clause' ? 'where' : kind), words, parts: [] }
}

/** Lines of their own under a line; what differs in them is said there. */
const NESTED = new Set(['actions', 'branches', 'otherwise', 'all', 'any', 'none'])

/** The members of a line that differ, lines under it left out. */
function partsThatDiffer(a: unknown, b: unknown): string[] {
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return a === b ? [] : ['value']
  const names = new Set([...Object.keys(a), ...Object.keys(b)])
  return [...names].filter((name) => !NESTED.has(name) && JSON.stringify(membersOf(a)[name]) !== JSON.stringify(membersOf(b)[name]))
}
