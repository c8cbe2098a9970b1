import { evaluate, FeelDate, FeelDateTime, parseDate, parseDateTime } from 'feelin'
import type { Lookups } from '../paths/lookups'
import type { RootValue } from '../paths/roots'
import { type FieldDef, type Image, type Schema, type Stored, type TableDef, targetOf } from '../values/tables'

const MAX_FORMULA = 2_000
const MAX_STEPS = 100_000

/** What is wrong with a formula, and from which character to which. */
export interface FormulaFault {
  readonly message: string
  readonly from: number
  readonly to: number
}

/** What is wrong with a formula in FEEL (OMG DMN 1.5, chapter 10), and where; or null. */
export function formulaFault(source: string): FormulaFault | null {
  const whole = (message: string) => ({ message, from: 0, to: source.length })
  if (source.trim() === '') return whole('The formula is empty.')
  if (source.length > MAX_FORMULA) return whole(`The formula has ${source.length} characters; at most ${MAX_FORMULA} are allowed.`)
  const endless = rangeProblem(source)
  if (endless) return whole(endless)
  try {
    evaluate(source, {})
    return null
  } catch (error) {
    return parseFault(source, error as ParseError)
  }
}

/** What is wrong with a formula in FEEL, or null. */
export function formulaProblem(source: string): string | null {
  return formulaFault(source)?.message ?? null
}

/** How the parser says what it stumbled over. */
interface ParseError extends Error {
  readonly input?: string
  readonly position?: { readonly from: number; readonly to: number }
}

const MISSING: Readonly<Record<string, string>> = {
  IfExpression: 'an if needs its then and its else',
  FunctionInvocation: 'a function needs its closing bracket',
  ForExpression: 'a for needs its in and its return',
  List: 'a list needs its closing bracket',
}

function parseFault(source: string, error: ParseError): FormulaFault {
  const { from, to } = error.position ?? { from: 0, to: source.length }
  const unfinished = /^Incomplete <(\w+)>/.exec(error.message)
  const why = unfinished
    ? `it stops before its end; ${MISSING[unfinished[1] as string] ?? 'something is missing after its last word'}`
    : error.input
      ? `${JSON.stringify(error.input)} is not expected at character ${from + 1}`
      : error.message
  return { message: `The formula does not parse: ${why}.`, from, to }
}

/** What is wrong with the ranges a formula goes through: together they have to end within a known number of steps, whatever records hold. */
function rangeProblem(source: string): string | null {
  const bare = source.replaceAll(/"(\\.|[^"\\])*"/g, '""')
  const ranges = [...bare.matchAll(/([^\s,()[\]{}]+)\s*\.\.\s*([^\s,()[\]{}]+)/g)]
  const goesThrough = /\b(for|some|every)\b/.test(bare)
  let steps = 1
  for (const [range, low, high] of ranges) {
    const size = Math.abs(Number(high) - Number(low)) + 1
    if (Number.isNaN(size) && goesThrough) return `The formula may go through ${range}, whose end is not known. Give both ends as numbers, or go through a list.`
    if (!Number.isNaN(size)) steps *= size
  }
  return steps > MAX_STEPS ? `The formula goes through ${ranges.map(([range]) => range).join(' and ')}; at most ${MAX_STEPS} steps are allowed.` : null
}

/** What a formula is worked out from. */
export interface FormulaFacts {
  readonly schema: Schema
  readonly lookups: Lookups
  readonly table: TableDef
  /** The record that bare names mean, and the one before the change. */
  readonly own: Image
  readonly before: Image | null
  readonly roots: Iterable<readonly [string, RootValue]>
  readonly change: { readonly kind: string; readonly at: Date; readonly by: { readonly name: string }; readonly changed?: readonly string[] }
}

/**
 * Compiles a formula to a function that works it out.
 * @throws Error when it does not parse
 */
export function compileFormula(source: string): (facts: FormulaFacts) => unknown {
  const problem = formulaProblem(source)
  if (problem) throw new Error(problem)
  const mentions = mentionedIn(source)
  return (facts) => plain(evaluate(source, contextOf(facts, mentions)).value)
}

/** Whether a formula may mean a name. */
type Mentions = (name: string) => boolean

/**
 * The names a formula can mean are those written in it; the interpreter looks at all it is given, so that it is given no others.
 * Functions that go through a whole context are given all of it.
 */
function mentionedIn(source: string): Mentions {
  if (/\b(get\s+entries|context)\b/.test(source)) return () => true
  const words = new Set(source.match(/[A-Za-z_]\w*/g))
  return (name) => words.has(name)
}

/** Digits of a double that are sure; what stands behind them in a sum of decimals is noise (0.1 + 0.2). */
const SURE_DIGITS = 15

/** A result as the rest of the core knows values: dates and date-times as ISO 8601 text, numbers without binary noise. */
function plain(value: unknown): unknown {
  if (typeof value === 'number') return Number(value.toPrecision(SURE_DIGITS))
  if (value instanceof FeelDate || value instanceof FeelDateTime) return (value as { iso: string }).iso
  return Array.isArray(value) ? value.map(plain) : (value ?? null)
}

function contextOf({ schema, lookups, table, own, before, roots, change }: FormulaFacts, mentions: Mentions): Record<string, unknown> {
  const context: Record<string, unknown> = {}
  const record = recordInFormula(table, own, schema, lookups, mentions)
  const lazily = (name: string, get: () => unknown) => mentions(name) && getter(context, name, get)
  for (const field of table.fields) lazily(field.name, () => (record as Record<string, unknown>)[field.name])
  for (const [name, held] of roots) lazily(name, () => rootInFormula(held, schema, lookups, mentions))
  lazily('record', () => record)
  lazily(table.singular, () => record)
  lazily('before', () => before && recordInFormula(table, before, schema, lookups, mentions))
  context.change = { kind: change.kind, at: parseDateTime(change.at.toISOString()), by: change.by.name, fields: change.changed ?? [] }
  return context
}

function getter(target: object, name: string, get: () => unknown): void {
  Object.defineProperty(target, name, { get, enumerable: true, configurable: true })
}

function rootInFormula(held: RootValue, schema: Schema, lookups: Lookups, mentions: Mentions): unknown {
  if (held.kind === 'value') return held.value
  if (held.kind === 'list') return held.images.map((image) => recordInFormula(held.table, image, schema, lookups, mentions))
  return held.image && recordInFormula(held.table, held.image, schema, lookups, mentions)
}

/** A record as a FEEL context; its links are followed when they are read. */
function recordInFormula(table: TableDef, image: Image, schema: Schema, lookups: Lookups, mentions: Mentions): object {
  const context = { id: image.id ?? null }
  for (const field of table.fields) if (mentions(field.name)) getter(context, field.name, () => fieldInFormula(field, image[field.name], schema, lookups, mentions))
  return context
}

function fieldInFormula(field: FieldDef, value: Stored | undefined, schema: Schema, lookups: Lookups, mentions: Mentions): unknown {
  if (value === null || value === undefined) return null
  const target = schema.get(targetOf(field) ?? '')
  if (target) {
    const linked = lookups.record(target.name, Number(value))
    return linked && recordInFormula(target, linked, schema, lookups, mentions)
  }
  if (field.type === 'date') return parseDate(String(value))
  if (field.type === 'date-time') return parseDateTime(new Date(String(value)).toISOString())
  return field.type === 'number' || field.type === 'money' ? Number(value) : value
}
