import { evaluate, FeelFunction, type FeelRange, isRange } from 'feelin'
import type { Budget } from '../values/budget'
import { builtIn, call } from './functions'
import type { Node } from './syntax'
import { equal, feel, isContext, isTruthy, spendShallow, TEMPORAL, typeOf } from './values'

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

/** Compiles a formula's tree to what works it out, each step within the scope's budget (OMG DMN 1.5, 10.3.2). @throws Error for what is not supported */
export function compilePart(node: Node): Part {
  const make = PARTS[node.kind]
  if (!make) throw new Error(`The formula has a part that cannot be worked out: ${node.text.slice(0, 40)}`)
  const { type, work } = make(node)
  return {
    type,
    work: (scope) => {
      scope.budget.spend(1)
      return work(scope)
    },
  }
}

type Maker = (node: Node) => Part

const constant = (value: unknown, type?: string): Part => ({ type, work: () => value })

/** A name as it is looked up: its words with single spaces. */
const nameOf = (node: Node) => node.text.trim().replaceAll(/\s+/g, ' ')

function inScope(scope: Scope, name: string): unknown {
  for (let at: Scope | null = scope; at; at = at.around) if (Object.hasOwn(at.names, name) && at.names[name] !== undefined) return at.names[name]
  return builtIn(name) ?? null
}

const within = (scope: Scope, names: Readonly<Record<string, unknown>>): Scope => ({ names, around: scope, budget: scope.budget })

/** A property of a value: a context's entry, or what a date, time, duration or range has of its own. */
function property(target: unknown, name: string): unknown {
  const type = typeOf(target)
  if (type === 'context') return Object.hasOwn(target as object, name) ? ((target as Record<string, unknown>)[name] ?? null) : null
  if (!TEMPORAL.has(type) && type !== 'range') return null
  if (Object.hasOwn(target as object, name)) return type === 'range' ? (target as Record<string, unknown>)[name] : null
  const getter = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(target), name)?.get
  return getter ? (getter.call(target) ?? null) : null
}

const compare = (op: string) => feel(`a ${op} b`)
const COMPARE: Readonly<Record<string, (a: unknown, b: unknown) => unknown>> = { '<': compare('<'), '<=': compare('<='), '>': compare('>'), '>=': compare('>=') }
const FAST: Readonly<Record<string, (a: number, b: number) => boolean>> = { '<': (a, b) => a < b, '<=': (a, b) => a <= b, '>': (a, b) => a > b, '>=': (a, b) => a >= b }

function compared(op: string, a: unknown, b: unknown, budget: Budget): unknown {
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

function arithmetic(op: string, a: unknown, b: unknown, budget: Budget): unknown {
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
function isIn(value: unknown, tests: unknown, budget: Budget): unknown {
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

function rangeOf(open: string, low: unknown, high: unknown, close: string): unknown {
  return RANGES[`${open === '[' ? '[' : '('}${close === ']' ? ']' : ')'}`]?.(low, high)
}

/** What a comparison without its left side stands for: a range, open at one end. */
const OPEN: Readonly<Record<string, (a: unknown, b: unknown) => unknown>> = { '>': feel('> a'), '>=': feel('>= a'), '<': feel('< a'), '<=': feel('<= a') }

/** The entries that a loop goes through, one at a time; null where there is nothing to go through. */
function entries(value: unknown): Iterable<unknown> | null {
  if (Array.isArray(value)) return value
  if (!isRange(value)) return null
  const { start, end } = value as FeelRange & { start: unknown; end: unknown }
  return typeof start === 'number' && typeof end === 'number'
    ? numbers(start, end, value as unknown as Record<string, unknown>)
    : (value as FeelRange).map((entry: unknown) => entry)
}

function* numbers(start: number, end: number, range: Record<string, unknown>): Generator<number> {
  const step = start > end ? -1 : 1
  for (let i = start; step > 0 ? i <= end : i >= end; i += step) {
    if ((i === start && !range['start included']) || (i === end && !range['end included'])) continue
    yield i
  }
}

interface Loop {
  readonly name: string
  readonly over: Part
}

const BROKEN = Symbol('nothing to go through')

/** Goes through loops in one another; `each` says with true that it is enough. Answers BROKEN where one has nothing to go through. */
function goThrough(loops: readonly Loop[], scope: Scope, each: (scope: Scope) => boolean): boolean | typeof BROKEN {
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

function loopsOf(node: Node): Loop[] {
  return node.parts.map((part) => ({ name: nameOf(part.parts[0] as Node), over: compilePart(part.parts[2] as Node) }))
}

function quantified(node: Node, isEnough: (truth: boolean) => boolean, atTheEnd: boolean): Part {
  const loops = loopsOf(node.parts[1] as Node)
  const test = compilePart(node.parts[3] as Node)
  return {
    type: 'test',
    work: (scope) => {
      const ended = goThrough(loops, scope, (inner) => isEnough(isTruthy(test.work(inner))))
      return ended === BROKEN ? null : ended ? !atTheEnd : atTheEnd
    },
  }
}

/** The parameters of a call: in order, or by name. */
function compileParameters(node: Node): (scope: Scope) => readonly unknown[] | Record<string, unknown> {
  const given = node.parts.find((part) => part.kind === 'PositionalParameters' || part.kind === 'NamedParameters')
  if (!given) return () => []
  if (given.kind === 'PositionalParameters') {
    const parts = given.parts.map(compilePart)
    return (scope) => parts.map((part) => part.work(scope))
  }
  const named = given.parts.map((part) => ({ name: nameOf(part.parts[0] as Node), part: compilePart(part.parts[1] as Node) }))
  return (scope) => Object.fromEntries(named.map(({ name, part }) => [name, part.work(scope)]))
}

/** What a written type asks of a value (OMG DMN 1.5, 10.3.2.9). */
function compileType(node: Node): (value: unknown) => boolean {
  const [inner] = node.parts
  if (node.kind === 'Type' && inner) return compileType(inner)
  if (node.kind === 'ListType') {
    const of = node.parts.find((part) => part.kind === 'Type')
    const isEntry = of ? compileType(of) : () => true
    return (value) => Array.isArray(value) && value.every(isEntry)
  }
  if (node.kind === 'ContextType') return isContext
  if (node.kind === 'FunctionType') return (value) => typeOf(value) === 'function'
  const name = nameOf(node)
  if (name === 'Any') return (value) => typeOf(value) !== 'nil'
  if (name === 'Null') return (value) => value === null
  if (name === 'years and months duration') return (value) => typeOf(value) === 'duration' && (value as { yearsMonths?: boolean }).yearsMonths === true
  if (name === 'days and time duration') return (value) => typeOf(value) === 'duration' && !(value as { yearsMonths?: boolean }).yearsMonths
  return (value) => typeOf(value) === (name === 'date and time' ? 'date time' : name)
}

/** Entries of a list that a filter lets through, or the one at its index. */
function filtered(target: unknown, filter: Part, scope: Scope): unknown {
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

function logical(node: Node, decisive: boolean): Part {
  const [left, right] = [compilePart(node.parts[0] as Node), compilePart(node.parts[2] as Node)]
  return {
    type: 'test',
    work: (scope) => {
      const a = left.work(scope)
      const b = right.work(scope)
      if (a === decisive || b === decisive) return decisive
      return a === !decisive && b === !decisive ? !decisive : null
    },
  }
}

const sameType = (a: Part, b: Part | undefined) => (!b || a.type === b.type ? a.type : 'any')

const ESCAPES: Readonly<Record<string, string>> = { n: '\n', r: '\r', t: '\t', '"': '"', '\\': '\\' }

function unescaped(literal: string): string {
  return literal.slice(1, -1).replaceAll(/\\(?:u([0-9a-fA-F]{1,6})|([nrt"\\]))/g, (all, code: string | undefined, letter: string) => {
    if (code === undefined) return ESCAPES[letter] as string
    const four = code.slice(0, 4)
    const point = Number.parseInt(code.length > 4 && Number.parseInt(code, 16) <= 0x10ffff ? code : four, 16)
    return Number.isNaN(point) ? all : String.fromCodePoint(point) + (code.length > 4 && Number.parseInt(code, 16) > 0x10ffff ? code.slice(4) : '')
  })
}

function invocation(target: Part, parameters: ReturnType<typeof compileParameters>, type: string): Part {
  return { type, work: (scope) => call(target.work(scope), parameters(scope), scope.budget) }
}

const PARTS: Readonly<Record<string, Maker>> = {
  Expression: (node) => compilePart(node.parts[0] as Node),
  ParenthesizedExpression: (node) => compilePart(node.parts[1] as Node),
  NumericLiteral: ({ text }) => constant(text.includes('.') ? Number.parseFloat(text) : Number.parseInt(text, 10), 'number'),
  BooleanLiteral: ({ text }) => constant(text === 'true', 'boolean'),
  StringLiteral: ({ text }) => constant(unescaped(text), 'string'),
  null: () => constant(null, 'nil'),
  Wildcard: () => constant(true),
  VariableName: (node) => {
    const name = nameOf(node)
    return { type: 'any', work: (scope) => inScope(scope, name) }
  },
  SpecialFunctionName: (node) => constant(builtIn(nameOf(node)) ?? null),
  '?': () => ({ work: (scope) => inScope(scope, '?') }),
  ArithmeticExpression: (node) => {
    const op = (node.parts.find((part) => part.kind === 'ArithOp') as Node).text
    const sides = node.parts.filter((part) => part.kind !== 'ArithOp').map(compilePart)
    const [a, b] = sides.length === 1 ? [constant(0, sides[0]?.type), sides[0] as Part] : (sides as [Part, Part])
    return { type: sameType(a, b), work: (scope) => arithmetic(op, a.work(scope), b.work(scope), scope.budget) }
  },
  Comparison: (node) => {
    const value = compilePart(node.parts[0] as Node)
    const operator = node.parts[1] as Node
    if (operator.kind === 'in') {
      const tests = compilePart((node.parts[3] ?? node.parts[2]) as Node)
      return { type: 'test', work: (scope) => isIn(value.work(scope), tests.work(scope), scope.budget) }
    }
    if (operator.kind === 'between') {
      const [low, high] = [compilePart(node.parts[2] as Node), compilePart(node.parts[4] as Node)]
      return {
        type: 'test',
        work: (scope) => {
          const [from, to] = [low.work(scope), high.work(scope)]
          if (from === null || to === null) return null
          return (rangeOf('[', from, to, ']') as FeelRange).includes(value.work(scope))
        },
      }
    }
    const right = compilePart(node.parts[2] as Node)
    return { type: 'test', work: (scope) => compared(operator.text, value.work(scope), right.work(scope), scope.budget) }
  },
  Conjunction: (node) => logical(node, false),
  Disjunction: (node) => logical(node, true),
  IfExpression: (node) => {
    const [condition, then, otherwise] = [node.parts[1], node.parts[3], node.parts[5]].map((part) => compilePart(part as Node)) as [Part, Part, Part]
    return { type: sameType(then, otherwise), work: (scope) => (isTruthy(condition.work(scope)) ? then.work(scope) : otherwise.work(scope)) }
  },
  ForExpression: (node) => {
    const loops = loopsOf(node.parts[1] as Node)
    const body = compilePart(node.parts.at(-1) as Node)
    return {
      work: (scope) => {
        const partial: unknown[] = []
        const ended = goThrough(loops, scope, (inner) => {
          const result = body.work(within(inner, { partial }))
          spendShallow(result, scope.budget)
          partial.push(result)
          return false
        })
        return ended === BROKEN ? null : partial
      },
    }
  },
  QuantifiedExpression: (node) => (node.parts[0]?.kind === 'every' ? quantified(node, (truth) => !truth, true) : quantified(node, (truth) => truth, false)),
  IterationContext: (node) => {
    const [low, high] = [compilePart(node.parts[0] as Node), node.parts[2] && compilePart(node.parts[2])]
    return high ? { work: (scope) => rangeOf('[', low.work(scope), high.work(scope), ']') } : low
  },
  List: (node) => {
    const parts = node.parts.slice(1, -1).map(compilePart)
    return { work: (scope) => parts.map((part) => part.work(scope)) }
  },
  Context: (node) => {
    const entriesOf = node.parts.slice(1, -1).map((entry) => {
      const key = (entry.parts[0] as Node).parts[0] as Node
      return { key: key.kind === 'StringLiteral' ? unescaped(key.text) : nameOf(key), part: compilePart(entry.parts[1] as Node) }
    })
    return {
      work: (scope) => {
        const made: Record<string, unknown> = {}
        const inner = within(scope, made)
        for (const { key, part } of entriesOf) {
          const value = part.work(inner)
          if (key !== '__proto__') made[key] = value
        }
        return made
      },
    }
  },
  PathExpression: (node) => {
    const target = compilePart(node.parts[0] as Node)
    const name = nameOf(node.parts[2] as Node)
    return {
      type: 'any',
      work: (scope) => {
        const value = target.work(scope)
        if (!Array.isArray(value)) return property(value, name)
        scope.budget.spend(value.length)
        return value.map((entry) => property(entry, name))
      },
    }
  },
  FilterExpression: (node) => {
    const [target, filter] = [compilePart(node.parts[0] as Node), compilePart(node.parts[2] as Node)]
    return { type: 'any', work: (scope) => filtered(target.work(scope), filter, scope) }
  },
  FunctionInvocation: (node) => invocation(compilePart(node.parts[0] as Node), compileParameters(node), 'any'),
  DateTimeLiteral: (node) => {
    const [made] = node.parts as [Node]
    if (made.kind === 'AtLiteral') {
      const literal = (made.parts[0] as Node).text
      return constant(evaluate(`@${literal}`, {}).value ?? null, 'date')
    }
    return invocation(constant(builtIn(nameOf(made)) ?? null), compileParameters(node), 'date')
  },
  FunctionDefinition: (node) => {
    const formal = node.parts.find((part) => part.kind === 'FormalParameters')
    const names = (formal?.parts ?? []).map((part) => nameOf((part.parts[0] ?? part) as Node))
    if (node.parts.some((part) => part.kind === 'external')) return constant(null)
    const body = compilePart((node.parts.at(-1) as Node).parts[0] as Node)
    return {
      work: (scope) => new FeelFunction((...args: unknown[]) => body.work(within(scope, Object.fromEntries(names.map((name, i) => [name, args[i] ?? null])))), [...names]),
    }
  },
  InstanceOfExpression: (node) => {
    const value = compilePart(node.parts[0] as Node)
    const isOfType = compileType(node.parts.at(-1) as Node)
    return { type: 'test', work: (scope) => isOfType(value.work(scope)) }
  },
  PositiveUnaryTests: (node) => {
    const tests = node.parts.map(compilePart)
    return { work: (scope) => tests.map((test) => test.work(scope)) }
  },
  PositiveUnaryTest: (node) => compilePart(node.parts[0] as Node),
  SimplePositiveUnaryTest: (node) => {
    const [first, second] = node.parts as [Node, Node | undefined]
    if (!second) return { ...compilePart(first), type: 'test' }
    const side = compilePart(second)
    const open = OPEN[first.text]
    return { type: 'test', work: (scope) => (open ? open(side.work(scope), null) : side.work(scope)) }
  },
  Interval: (node) => {
    const [open, low, , high, close] = node.parts as [Node, Node, Node, Node, Node]
    const [from, to] = [compilePart(low), compilePart(high)]
    return { type: 'test', work: (scope) => rangeOf(open.text, from.work(scope), to.work(scope), close.text) }
  },
}
