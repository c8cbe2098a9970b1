import { type FeelRange, isRange } from 'feelin'
import type { Budget } from '../values/budget'
import { equal, feel, TEMPORAL, typeOf } from './values'

const compare = (op: string) => feel(`a ${op} b`)
const COMPARE: Readonly<Record<string, (a: unknown, b: unknown) => unknown>> = { '<': compare('<'), '<=': compare('<='), '>': compare('>'), '>=': compare('>=') }
const FAST: Readonly<Record<string, (a: number, b: number) => boolean>> = { '<': (a, b) => a < b, '<=': (a, b) => a <= b, '>': (a, b) => a > b, '>=': (a, b) => a >= b }

/** What a comparison says of two values; null where they cannot be compared (OMG DMN 1.5, 10.3.2.7). */
export function compared(op: string, a: unknown, b: unknown, budget: Budget): unknown {
  if (op === '=') return equal(a, b, budget)
  if (op === '!=') {
    const same = equal(a, b, budget)
    return typeof same === 'boolean' ? !same : null
  }
  return typeof a === 'number' && typeof b === 'number' ? FAST[op]?.(a, b) : COMPARE[op]?.(a, b)
}

const ARITHMETIC: Readonly<Record<string, { on: readonly string[]; numbers: (a: number, b: number) => number | null; others: (a: unknown, b: unknown) => unknown }>> = {
  '+': { on: ['string', 'number', ...TEMPORAL], numbers: (a, b) => a + b, others: feel('a + b') },
  '-': { on: ['number', ...TEMPORAL], numbers: (a, b) => a - b, others: feel('a - b') },
  '*': { on: ['number'], numbers: (a, b) => a * b, others: () => null },
  '/': { on: ['number'], numbers: (a, b) => (b ? a / b : null), others: () => null },
  '**': { on: ['number'], numbers: (a, b) => a ** b, others: () => null },
  '^': { on: ['number'], numbers: (a, b) => a ** b, others: () => null },
}

/** What an operator of arithmetic makes of two values; null where they do not fit (OMG DMN 1.5, 10.3.2.3). @throws BudgetSpent */
export function arithmetic(op: string, a: unknown, b: unknown, budget: Budget): unknown {
  const operation = ARITHMETIC[op]
  if (!operation) throw new Error(`The formula has an operator that is not known: ${op}`)
  if (typeof a === 'number' && typeof b === 'number') return operation.numbers(a, b)
  const [left, right] = [typeOf(a), typeOf(b)]
  if (!operation.on.includes(left) || (TEMPORAL.has(left) ? !TEMPORAL.has(right) : left !== right)) return null
  if (typeof a === 'string' && typeof b === 'string') {
    budget.spendText(a.length + b.length)
    return a + b
  }
  return operation.others(a, b)
}

/** What a test in a membership says of a value. */
function tested(test: unknown, value: unknown, budget: Budget): unknown {
  if (isRange(test)) return test.includes(value)
  const same = equal(test, value, budget)
  return same === null ? false : same
}

/** Whether a value is in a list, a range, or one of several tests; null where that is not known. */
export function isIn(value: unknown, tests: unknown, budget: Budget): unknown {
  if (!Array.isArray(tests)) return tests === null || tests === undefined ? null : tested(tests, value, budget)
  let unknown = false
  for (const test of tests) {
    budget.spend(1)
    const result = tested(test, value, budget)
    if (result === true) return true
    unknown ||= result === null
  }
  return unknown ? null : false
}

const RANGES: Readonly<Record<string, (a: unknown, b: unknown) => unknown>> = {
  '[]': feel('[a..b]'),
  '[)': feel('[a..b)'),
  '(]': feel('(a..b]'),
  '()': feel('(a..b)'),
}

/** The range between two values, with its ends or without, by its brackets. */
export function rangeOf(open: string, low: unknown, high: unknown, close: string): FeelRange {
  return RANGES[`${open === '[' ? '[' : '('}${close === ']' ? ']' : ')'}`]?.(low, high) as FeelRange
}

/** What a comparison without its left side stands for: a range, open at one end. */
export const OPEN: Readonly<Record<string, (a: unknown, b: unknown) => unknown>> = { '>': feel('> a'), '>=': feel('>= a'), '<': feel('< a'), '<=': feel('<= a') }
