import { isRange } from 'feelin'
import { type Part, type Scope, within } from './scope'

/** The entries that a loop goes through, one at a time; null where there is nothing to go through. */
function entries(value: unknown): Iterable<unknown> | null {
  if (Array.isArray(value)) return value
  if (!isRange(value)) return null
  const { start, end } = value
  return typeof start === 'number' && typeof end === 'number' ? numbers(start, end, value as unknown as Record<string, unknown>) : value.map((entry: unknown) => entry)
}

function* numbers(start: number, end: number, range: Record<string, unknown>): Generator<number> {
  const step = start > end ? -1 : 1
  for (let i = start; step > 0 ? i <= end : i >= end; i += step) {
    if ((i === start && !range['start included']) || (i === end && !range['end included'])) continue
    yield i
  }
}

/** One `name in list` of a loop. */
export interface Loop {
  readonly name: string
  readonly over: Part
}

/** There was nothing to go through, so that the whole loop is null. */
export const BROKEN = Symbol('nothing to go through')

/** Goes through loops in one another; `each` says with true that it is enough. Answers BROKEN where one has nothing to go through. */
export function goThrough(loops: readonly Loop[], scope: Scope, each: (scope: Scope) => boolean): boolean | typeof BROKEN {
  const [loop, ...inner] = loops
  if (!loop) return each(scope)
  const list = entries(loop.over.work(scope))
  if (!list) return BROKEN
  for (const entry of list) {
    scope.budget.spend(1)
    const ended = goThrough(inner, within(scope, { [loop.name]: entry }), each)
    if (ended) return ended
  }
  return false
}
