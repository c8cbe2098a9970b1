import { isRange } from 'feelin'
import { membersOf } from '../must'
import type { Budget } from '../values/budget'
import { builtIn } from './functions'
import { isContext, isTruthy, TEMPORAL, typeOf } from './values'

/** The names a part of a formula sees: its own first, then those around it. */
export interface Scope {
  readonly names: Readonly<Record<string, unknown>>
  readonly around: Scope | null
  readonly budget: Budget
}

/** A part of a formula, ready to be worked out. `type` is what is known of its value beforehand; a filter goes by it. */
export interface Part {
  readonly type?: string
  readonly work: (scope: Scope) => unknown
}

/** The value of a name: the innermost that is there, else the built-in function that it is, else null. */
export function inScope(scope: Scope, name: string): unknown {
  for (let at: Scope | null = scope; at; at = at.around) if (Object.hasOwn(at.names, name) && at.names[name] !== undefined) return at.names[name]
  return builtIn(name) ?? null
}

/** A scope within another, with names of its own. */
export const within = (scope: Scope, names: Readonly<Record<string, unknown>>): Scope => ({ names, around: scope, budget: scope.budget })

/** A property of a value: a context's entry, or what a date, time, duration or range has of its own. */
export function property(target: unknown, name: string): unknown {
  const type = typeOf(target)
  if (type === 'context') return Object.hasOwn(membersOf(target), name) ? (membersOf(target)[name] ?? null) : null
  if (!TEMPORAL.has(type) && type !== 'range') return null
  if (Object.hasOwn(membersOf(target), name)) return type === 'range' ? membersOf(target)[name] : null
  const getter = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(target), name)?.get
  return getter ? (getter.call(target) ?? null) : null
}

/** Entries of a list that a filter lets through, or the one at its index. */
export function filtered(target: unknown, filter: Part, scope: Scope): unknown {
  if (target === null || target === undefined) return null
  const list = Array.isArray(target) ? target : [target]
  if (filter.type === 'number' || filter.type === 'boolean' || filter.type === 'any') {
    const index = filter.work(scope)
    if (typeof index === 'boolean') return index ? target : []
    if (typeof index !== 'number') return []
    return list[index < 0 ? list.length + index : index - 1] ?? null
  }
  if (filter.type === 'string') {
    const wanted = filter.work(scope)
    return list.filter((entry) => entry === wanted)
  }
  if (filter.type !== 'test') return null
  return list.flatMap((entry) => {
    scope.budget.spend(1)
    const own = isContext(entry) ? within(within(scope, { item: entry }), entry) : within(scope, { item: entry })
    const result = filter.work(own)
    const kept = isRange(result) ? result.includes(entry) : result
    const passed = kept === true ? entry : (kept ?? null)
    return isTruthy(passed) ? [passed] : []
  })
}
