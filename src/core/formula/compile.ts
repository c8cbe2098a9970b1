import { evaluate, FeelFunction, type FeelRange } from 'feelin'
import { builtIn, call } from './functions'
import { BROKEN, goThrough, type Loop } from './loops'
import { arithmetic, compared, isIn, OPEN, rangeOf } from './operators'
import { filtered, inScope, type Part, property, type Scope, within } from './scope'
import type { Node } from './syntax'
import { isContext, isTruthy, spendShallow, typeOf } from './values'

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
