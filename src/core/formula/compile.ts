import { evaluate, FeelFunction } from 'feelin'
import { membersOf, must } from '../must'
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
  return node.parts.map((part) => ({ name: nameOf(must(part.parts[0])), over: compilePart(must(part.parts[2])) }))
}

function quantified(node: Node, isEnough: (truth: boolean) => boolean, atTheEnd: boolean): Part {
  const loops = loopsOf(must(node.parts[1]))
  const test = compilePart(must(node.parts[3]))
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
  const named = given.parts.map((part) => ({ name: nameOf(must(part.parts[0])), part: compilePart(must(part.parts[1])) }))
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
  if (name === 'years and months duration') return (value) => typeOf(value) === 'duration' && membersOf(value).yearsMonths === true
  if (name === 'days and time duration') return (value) => typeOf(value) === 'duration' && !membersOf(value).yearsMonths
  return (value) => typeOf(value) === (name === 'date and time' ? 'date time' : name)
}

function logical(node: Node, decisive: boolean): Part {
  const [left, right] = [compilePart(must(node.parts[0])), compilePart(must(node.parts[2]))]
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
    if (code === undefined) return must(ESCAPES[letter])
    const four = code.slice(0, 4)
    const point = Number.parseInt(code.length > 4 && Number.parseInt(code, 16) <= 0x10ffff ? code : four, 16)
    return Number.isNaN(point) ? all : String.fromCodePoint(point) + (code.length > 4 && Number.parseInt(code, 16) > 0x10ffff ? code.slice(4) : '')
  })
}

function invocation(target: Part, parameters: ReturnType<typeof compileParameters>, type: string): Part {
  return { type, work: (scope) => call(target.work(scope), parameters(scope), scope.budget) }
}

const PARTS: Readonly<Record<string, Maker>> = {
  Expression: (node) => compilePart(must(node.parts[0])),
  ParenthesizedExpression: (node) => compilePart(must(node.parts[1])),
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
    const op = must(node.parts.find((part) => part.kind === 'ArithOp')).text
    const sides = node.parts.filter((part) => part.kind !== 'ArithOp').map(compilePart)
    const [a, b] = sides.length === 1 ? [constant(0, sides[0]?.type), must(sides[0])] : [must(sides[0]), must(sides[1])]
    return { type: sameType(a, b), work: (scope) => arithmetic(op, a.work(scope), b.work(scope), scope.budget) }
  },
  Comparison: (node) => {
    const value = compilePart(must(node.parts[0]))
    const operator = must(node.parts[1])
    if (operator.kind === 'in') {
      const tests = compilePart(must(node.parts[3] ?? node.parts[2]))
      return { type: 'test', work: (scope) => isIn(value.work(scope), tests.work(scope), scope.budget) }
    }
    if (operator.kind === 'between') {
      const [low, high] = [compilePart(must(node.parts[2])), compilePart(must(node.parts[4]))]
      return {
        type: 'test',
        work: (scope) => {
          const [from, to] = [low.work(scope), high.work(scope)]
          if (from === null || to === null) return null
          return rangeOf('[', from, to, ']').includes(value.work(scope))
        },
      }
    }
    const right = compilePart(must(node.parts[2]))
    return { type: 'test', work: (scope) => compared(operator.text, value.work(scope), right.work(scope), scope.budget) }
  },
  Conjunction: (node) => logical(node, false),
  Disjunction: (node) => logical(node, true),
  IfExpression: (node) => {
    const [condition, then, otherwise] = [compilePart(must(node.parts[1])), compilePart(must(node.parts[3])), compilePart(must(node.parts[5]))]
    return { type: sameType(then, otherwise), work: (scope) => (isTruthy(condition.work(scope)) ? then.work(scope) : otherwise.work(scope)) }
  },
  ForExpression: (node) => {
    const loops = loopsOf(must(node.parts[1]))
    const body = compilePart(must(node.parts.at(-1)))
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
    const [low, high] = [compilePart(must(node.parts[0])), node.parts[2] && compilePart(node.parts[2])]
    return high ? { work: (scope) => rangeOf('[', low.work(scope), high.work(scope), ']') } : low
  },
  List: (node) => {
    const parts = node.parts.slice(1, -1).map(compilePart)
    return { work: (scope) => parts.map((part) => part.work(scope)) }
  },
  Context: (node) => {
    const entriesOf = node.parts.slice(1, -1).map((entry) => {
      const key = must(entry.parts[0]?.parts[0])
      return { key: key.kind === 'StringLiteral' ? unescaped(key.text) : nameOf(key), part: compilePart(must(entry.parts[1])) }
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
    const target = compilePart(must(node.parts[0]))
    const name = nameOf(must(node.parts[2]))
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
    const [target, filter] = [compilePart(must(node.parts[0])), compilePart(must(node.parts[2]))]
    return { type: 'any', work: (scope) => filtered(target.work(scope), filter, scope) }
  },
  FunctionInvocation: (node) => invocation(compilePart(must(node.parts[0])), compileParameters(node), 'any'),
  DateTimeLiteral: (node) => {
    const made = must(node.parts[0])
    if (made.kind === 'AtLiteral') {
      const literal = must(made.parts[0]).text
      return constant(evaluate(`@${literal}`, {}).value ?? null, 'date')
    }
    return invocation(constant(builtIn(nameOf(made)) ?? null), compileParameters(node), 'date')
  },
  FunctionDefinition: (node) => {
    const formal = node.parts.find((part) => part.kind === 'FormalParameters')
    const names = (formal?.parts ?? []).map((part) => nameOf(part.parts[0] ?? part))
    if (node.parts.some((part) => part.kind === 'external')) return constant(null)
    const body = compilePart(must(node.parts.at(-1)?.parts[0]))
    return {
      work: (scope) => new FeelFunction((...args: unknown[]) => body.work(within(scope, Object.fromEntries(names.map((name, i) => [name, args[i] ?? null])))), [...names]),
    }
  },
  InstanceOfExpression: (node) => {
    const value = compilePart(must(node.parts[0]))
    const isOfType = compileType(must(node.parts.at(-1)))
    return { type: 'test', work: (scope) => isOfType(value.work(scope)) }
  },
  PositiveUnaryTests: (node) => {
    const tests = node.parts.map(compilePart)
    return { work: (scope) => tests.map((test) => test.work(scope)) }
  },
  PositiveUnaryTest: (node) => compilePart(must(node.parts[0])),
  SimplePositiveUnaryTest: (node) => {
    const [first, second] = [must(node.parts[0]), node.parts[1]]
    if (!second) return { ...compilePart(first), type: 'test' }
    const side = compilePart(second)
    const open = OPEN[first.text]
    return { type: 'test', work: (scope) => (open ? open(side.work(scope), null) : side.work(scope)) }
  },
  Interval: (node) => {
    const [open, close] = [must(node.parts[0]), must(node.parts[4])]
    const [from, to] = [compilePart(must(node.parts[1])), compilePart(must(node.parts[3]))]
    return { type: 'test', work: (scope) => rangeOf(open.text, from.work(scope), to.work(scope), close.text) }
  },
}
