import { evaluate, FeelFunction, isFunction, isRange } from 'feelin'
import { must } from '../must'
import type { Budget } from '../values/budget'
import { matches, replace, split } from './regular'
import { spendDeep, spendShallow } from './values'

/** Functions that go through all that their arguments hold, however deep; the others look at the first level alone. */
const DEEP: ReadonlySet<string> = new Set(['flatten', 'string', 'is', 'context merge', 'string join', 'sum', 'mean', 'min', 'max', 'median', 'mode', 'stddev', 'product'])

/** Functions that hold every entry against every other where entries are lists or contexts. */
const SQUARE: ReadonlySet<string> = new Set(['distinct values', 'union'])

type BoundedText = (args: readonly unknown[], budget: Budget) => unknown

/** An argument as a text; a list of one entry stands for that entry (OMG DMN 1.5, 10.3.2.9.4). Null where it is none. */
function text(value: unknown): string | null {
  const one = Array.isArray(value) && value.length === 1 ? value[0] : value
  return typeof one === 'string' ? one : null
}

/** Functions done here rather than by the library: its regular expressions can run away. */
const OURS: Readonly<Record<string, { parameters: string[]; call: BoundedText }>> = {
  matches: {
    parameters: ['input', 'pattern', 'flags'],
    call: (args, budget) => {
      const [input, pattern, flags] = args.map(text)
      return typeof input === 'string' && typeof pattern === 'string' ? matches(input, pattern, flags ?? '', budget) : null
    },
  },
  replace: {
    parameters: ['input', 'pattern', 'replacement', 'flags'],
    call: (args, budget) => {
      const [input, pattern, replacement, flags] = args.map(text)
      if (typeof input !== 'string' || typeof pattern !== 'string' || typeof replacement !== 'string') return null
      return replace(input, pattern, replacement, flags ?? '', budget)
    },
  },
  split: {
    parameters: ['string', 'delimiter'],
    call: (args, budget) => {
      const [input, delimiter] = args.map(text)
      return typeof input === 'string' && typeof delimiter === 'string' ? split(input, delimiter, budget) : null
    },
  },
}

/** The function done here that has a name; no name reaches what objects have from elsewhere. */
const ownFunction = (name: string) => (Object.hasOwn(OURS, name) ? OURS[name] : undefined)

/** Functions whose names are no names by themselves, since they hold an operator's word; they are called with all their parameters. */
const WORDED: Readonly<Record<string, string[]>> = { 'date and time': ['date', 'time', 'from'], 'years and months duration': ['from', 'to'] }

/** The library's function of a name, or undefined. */
function libraryFunction(name: string): FeelFunction | undefined {
  const worded = Object.hasOwn(WORDED, name) ? WORDED[name] : undefined
  if (worded)
    return new FeelFunction(
      (...args: unknown[]) =>
        (evaluate(`function(a, b, c) ${name}(${['a', 'b', 'c'].slice(0, worded.length).join(', ')})`).value as FeelFunction).fn(...worded.map((_, i) => args[i] ?? null)),
      worded,
    )
  const found: unknown = evaluate(name, {}).value
  if (typeof found !== 'function') return undefined
  const parameters = (found as { $args?: string[] }).$args ?? []
  return new FeelFunction(found as (...args: unknown[]) => unknown, parameters)
}

const known = new Map<string, FeelFunction | undefined>()

/** Names that functions have: words with single spaces. */
const NAME = /^[a-z]+( [a-z]+){0,3}$/

/** A built-in function by its name (OMG DMN 1.5, 10.3.4), or undefined. */
export function builtIn(name: string): FeelFunction | undefined {
  if (!NAME.test(name)) return undefined
  if (known.has(name)) return known.get(name)
  const ours = ownFunction(name)
  const made = ours ? new FeelFunction(() => null, ours.parameters) : libraryFunction(name) // ours knows no budget until it is called: see `call`
  known.set(name, made)
  if (made) names.set(made, name)
  return made
}

/** The names of built-in functions. */
const names = new WeakMap<FeelFunction, string>()

/** A value as something that can be called, or null. */
function callable(value: unknown): FeelFunction | null {
  if (isFunction(value)) return value
  return isRange(value) ? new FeelFunction((probe: unknown) => value.includes(probe), ['value']) : null
}

/** A result by which a function of the library says that its arguments do not fit. */
const MISFIT = must(libraryFunction('duration')).invoke(['x']).constructor as abstract new () => unknown

/**
 * Calls what a formula calls, with arguments in order or by name, within a budget; what cannot be called, or not with these, gives null.
 * @throws BudgetSpent
 */
export function call(target: unknown, given: readonly unknown[] | Readonly<Record<string, unknown>>, budget: Budget): unknown {
  const found = callable(target)
  if (!found) return null
  const args = Array.isArray(given) ? given : Object.values(given)
  const name = names.get(found)
  spendForArguments(name, args, budget)
  const ours = name === undefined ? undefined : ownFunction(name)
  const bound = ours ? new FeelFunction((...ordered: unknown[]) => ours.call(ordered, budget), ours.parameters) : found
  const result = bound.invoke(given)
  if (result instanceof MISFIT) return null
  spendShallow(result, budget)
  return result
}

function spendForArguments(name: string | undefined, args: readonly unknown[], budget: Budget): void {
  budget.spend(1)
  for (const arg of args) {
    if (name && DEEP.has(name)) spendDeep(arg, budget)
    else spendShallow(arg, budget)
  }
  const [list, delimiter] = args
  if (name === 'string join' && Array.isArray(list) && typeof delimiter === 'string') budget.spendText(list.length * delimiter.length)
  if (name && SQUARE.has(name)) for (const arg of args) spendSquare(arg, budget)
}

function spendSquare(list: unknown, budget: Budget): void {
  if (!Array.isArray(list)) return
  for (const entry of list) if (typeof entry === 'object' && entry !== null) for (const other of list) spendDeep(other, budget)
}
