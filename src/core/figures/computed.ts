import { Decimal } from 'decimal.js'
import { type ComputedFigure, type Figure, isComputed, type TableFigure } from '../document/figure'
import { compilePart } from '../formula/compile'
import { type Node, parseFormula } from '../formula/syntax'
import { must } from '../must'
import { Budget, FORMULA_STEPS } from '../values/budget'
import type { Schema } from '../values/tables'
import type { FigureValue } from './crossing'
import { figuresOf } from './of-table'
import { Exact } from './parts'

/** Every figure there is, by its name. */
export function allFigures(schema: Schema): Map<string, Figure> {
  return new Map([...schema.values()].flatMap((table) => figuresOf(table)).map((f) => [f.name, f.definition]))
}

/** The names that a formula speaks of and does not give itself; none where it does not parse. */
export function namesIn(formula: string): string[] {
  const parsed = parseFormula(formula)
  return 'fault' in parsed ? [] : [...new Set(spokenOf(parsed.tree, new Set()))]
}

const nameOf = ({ text }: Node) => text.trim().replaceAll(/\s+/g, ' ')

function spokenOf(node: Node, given: ReadonlySet<string>): string[] {
  if (node.kind === 'VariableName') return given.has(nameOf(node)) ? [] : [nameOf(node)]
  const own = new Set(given)
  for (const part of node.parts) if (part.kind === 'InExpressions') for (const one of part.parts) own.add(nameOf(must(one.parts[0])))
  // only what is called is a name of FEEL's own; whatever else stands there is a figure
  const parts = node.kind === 'FunctionInvocation' ? node.parts.slice(1) : node.kind === 'PathExpression' ? node.parts.slice(0, 1) : node.parts
  return parts.flatMap((part) => spokenOf(part, own))
}

/** The other figures that a figure looks at: those of its formula, in the order in which it names them, and those that its thresholds are at. */
export function figuresBehind(figure: Figure): string[] {
  return [...new Set([...(isComputed(figure) ? namesIn(figure.formula) : []), ...linesOf(figure)])]
}

/** The figures whose values a figure's thresholds are at. */
export const linesOf = ({ thresholds = [] }: Pick<Figure, 'thresholds'>): string[] => [
  ...new Set(thresholds.flatMap(({ value }) => (typeof value === 'number' ? [] : [value.figure]))),
]

/** The figures over records that a figure is worked out from, in the end; itself where it is one. Circles end where they began. */
export function rootsOf(figure: Figure, all: ReadonlyMap<string, Figure>, seen: ReadonlySet<string> = new Set()): TableFigure[] {
  if (!isComputed(figure)) return [figure]
  if (seen.has(figure.name)) return []
  const around = new Set([...seen, figure.name])
  const found = namesIn(figure.formula).flatMap((name) => {
    const part = all.get(name)
    return part ? rootsOf(part, all, around) : []
  })
  return [...new Set(found)]
}

/** The table that a figure's records are of: its own, or that of the first figure that it is worked out from. */
export const tableOfFigure = (figure: Figure, all: ReadonlyMap<string, Figure>): string | null => rootsOf(figure, all)[0]?.table ?? null

/** Figures that have to be moved together: each with all that it looks at, and all that look at it. */
export function families(figures: readonly Figure[]): Figure[][] {
  const family = new Map(figures.map((f) => [f.name, [f]]))
  for (const figure of figures)
    for (const name of figuresBehind(figure)) {
      const [own, other] = [must(family.get(figure.name)), family.get(name)]
      if (!other || other === own) continue
      own.push(...other)
      for (const one of other) family.set(one.name, own)
    }
  return [...new Set(family.values())]
}

/** Figures in an order in which each comes after all that it looks at; those that go in a circle are left out. */
export function inOrder(figures: readonly Figure[]): Figure[] {
  const known = new Set(figures.map((f) => f.name))
  const done = new Set<string>()
  const ordered: Figure[] = []
  for (let open = figures; open.length > 0; ) {
    const ready = open.filter((f) => figuresBehind(f).every((name) => done.has(name) || !known.has(name)))
    if (ready.length === 0) break
    for (const figure of ready) {
      done.add(figure.name)
      ordered.push(figure)
    }
    open = open.filter((f) => !ready.includes(f))
  }
  return ordered
}

/** Whether a figure is worked out from itself, and through which others. */
export function circleOf(figure: Figure, all: ReadonlyMap<string, Figure>): string[] | null {
  const walk = (name: string, path: readonly string[]): string[] | null => {
    if (path.includes(name)) return name === figure.name ? [...path, name] : null
    const next = name === figure.name ? figure : all.get(name)
    if (!next) return null
    for (const behind of figuresBehind(next)) {
      const found = walk(behind, [...path, name])
      if (found) return found
    }
    return null
  }
  return walk(figure.name, [])
}

/** Works a formula out from the values of the figures that it names; a division by zero or a blank part is blank. */
export type Work = (values: readonly FigureValue[]) => FigureValue

/** Digits behind the point of what is divided, as those of averages. */
const DIGITS = 20

/** Compiles a computed figure: the figures that it names, in order, and what works it out from their values. @throws Error where its formula does not parse */
export function compileComputed({ formula }: Pick<ComputedFigure, 'formula'>): { readonly names: readonly string[]; readonly work: Work } {
  const parsed = parseFormula(formula)
  if ('fault' in parsed) throw new Error(parsed.fault.message)
  const names = namesIn(formula)
  const exact = exactly(parsed.tree, names)
  if (exact) return { names, work: (values) => written(values.includes(null) ? null : exact(values.map((v) => new Exact(v ?? 0)))) }
  const part = compilePart(parsed.tree)
  return {
    names,
    work: (values) => {
      if (values.includes(null)) return null
      const context = Object.fromEntries(names.map((name, i) => [name, Number(values[i])]))
      const result = part.work({ names: context, around: null, budget: new Budget(FORMULA_STEPS, 'The formula') })
      return typeof result === 'number' && Number.isFinite(result) ? written(new Exact(result.toPrecision(15))) : null
    },
  }
}

const written = (value: Decimal | null): FigureValue => (value === null || !value.isFinite() ? null : value.toDecimalPlaces(DIGITS).toFixed())

type ExactWork = (values: readonly Decimal[]) => Decimal | null

/** Plain arithmetic is worked out in decimals; null for formulas that are more than that. */
function exactly(node: Node, names: readonly string[]): ExactWork | null {
  switch (node.kind) {
    case 'Expression':
      return exactly(must(node.parts[0]), names)
    case 'ParenthesizedExpression':
      return exactly(must(node.parts[1]), names)
    case 'NumericLiteral': {
      const value = /^\d*\.?\d+$/.test(node.text.trim()) ? new Exact(node.text.trim()) : null
      return value && (() => value)
    }
    case 'VariableName': {
      const place = names.indexOf(nameOf(node))
      return place < 0 ? null : (values) => values[place] ?? null
    }
    case 'ArithmeticExpression':
      return arithmetic(node, names)
    default:
      return null
  }
}

/** What is divided need not be exact to hundreds of digits, which would take long. */
const Divided = Decimal.clone({ precision: 60 })

const OPERATIONS: Readonly<Record<string, (a: Decimal, b: Decimal) => Decimal | null>> = {
  '+': (a, b) => a.plus(b),
  '-': (a, b) => a.minus(b),
  '*': (a, b) => a.times(b),
  '/': (a, b) => (b.isZero() ? null : new Exact(new Divided(a).dividedBy(b))),
}

function arithmetic(node: Node, names: readonly string[]): ExactWork | null {
  const operation = OPERATIONS[must(node.parts.find((part) => part.kind === 'ArithOp')).text]
  const sides = node.parts.filter((part) => part.kind !== 'ArithOp').map((part) => exactly(part, names))
  const [left, right] = sides.length === 1 ? [() => new Exact(0), sides[0]] : sides
  if (!operation || !left || !right) return null
  return (values) => {
    const [a, b] = [left(values), right(values)]
    return a === null || b === null ? null : operation(a, b)
  }
}
