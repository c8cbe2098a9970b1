import { evaluate, FeelDate, FeelDateTime, FeelDuration, FeelFunction, FeelRange, FeelTime } from 'feelin'
import type { Budget } from '../values/budget'

/** A FEEL context: names with their values. */
export type Context = Readonly<Record<string, unknown>>

/** Whether a value is a FEEL context. */
export function isContext(value: unknown): value is Context {
  return typeof value === 'object' && value !== null && Object.getPrototypeOf(value) === Object.prototype
}

/** The name of a value's FEEL type (OMG DMN 1.5, 10.3.2.1). */
export function typeOf(value: unknown): string {
  if (value === null || value === undefined) return 'nil'
  if (typeof value !== 'object') return typeof value
  if (Array.isArray(value)) return 'list'
  if (isContext(value)) return 'context'
  return CLASSES.find(([, type]) => value instanceof type)?.[0] ?? 'literal'
}

const CLASSES: readonly (readonly [string, abstract new (...args: never[]) => unknown])[] = [
  ['date', FeelDate],
  ['time', FeelTime],
  ['date time', FeelDateTime],
  ['duration', FeelDuration],
  ['range', FeelRange],
  ['function', FeelFunction],
]

export const TEMPORAL: ReadonlySet<string> = new Set(['date', 'time', 'date time', 'duration'])

/** A function of FEEL's own semantics over two values, as the library has it. */
type Binary = (a: unknown, b: unknown) => unknown

const made = new Map<string, Binary>()

/**
 * An operation on two values `a` and `b` as the library works it out, such as `a + b`. What the library notes about operands that do not fit is
 * let go of now and then, since it keeps those notes with the function.
 */
export function feel(source: string): Binary {
  return (a, b) => {
    let operation = made.get(source)
    if (!operation) {
      operation = (evaluate(`function(a, b) ${source}`).value as FeelFunction).fn as Binary
      made.set(source, operation)
    }
    const result = operation(a ?? null, b ?? null)
    if (result === null) made.delete(source)
    return result
  }
}

/** Whether `if`, `some` and `every` take a value for true. */
export function isTruthy(value: unknown): boolean {
  return value !== false && value !== null
}

const isSimple = (value: unknown) => typeof value === 'number' || typeof value === 'string' || typeof value === 'boolean'

/** Whether two values are equal, or null where that cannot be said. */
export function equal(a: unknown, b: unknown, budget: Budget): unknown {
  if (isSimple(a) && typeof a === typeof b) return a === b
  spendDeep(a, budget)
  spendDeep(b, budget)
  return feelEqual(a, b)
}

const feelEqual = feel('a = b')

/** Spends for what a value holds at its first level: a text's length, a list's entries, a context's names. */
export function spendShallow(value: unknown, budget: Budget): void {
  if (typeof value === 'string') budget.spendText(value.length)
  else if (Array.isArray(value)) budget.spend(value.length)
}

/** Spends for all that a value holds, a thing that stands in it twice being counted twice, as whatever goes through it would meet it. */
export function spendDeep(value: unknown, budget: Budget, depth = 0): void {
  budget.spend(1)
  if (typeof value === 'string') return budget.spendText(value.length)
  if (depth > MAX_DEPTH) throw new Error('The formula’s lists stand in one another too deep.')
  if (Array.isArray(value)) for (const entry of value) spendDeep(entry, budget, depth + 1)
  else if (isContext(value)) for (const name of Object.keys(value)) spendDeep(value[name], budget, depth + 1)
}

const MAX_DEPTH = 200
