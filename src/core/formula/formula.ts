import { FeelDate, FeelDateTime, FeelFunction, parseDate, parseDateTime } from 'feelin'
import type { Lookups } from '../paths/lookups'
import type { RootValue } from '../paths/roots'
import { Budget, FORMULA_STEPS } from '../values/budget'
import { dayFrom } from '../values/dates'
import { type FieldDef, type Image, idFrom, type Schema, type Stored, type TableDef, targetOf } from '../values/tables'
import { compilePart } from './compile'
import { type FormulaFault, parseFormula } from './syntax'

export type { FormulaFault } from './syntax'

/** What is wrong with a formula in FEEL (OMG DMN 1.5, chapter 10), and where; or null. It is parsed, never worked out. */
export function formulaFault(source: string): FormulaFault | null {
  const parsed = parseFormula(source)
  return 'fault' in parsed ? parsed.fault : null
}

/** What is wrong with a formula in FEEL, or null. */
export function formulaProblem(source: string): string | null {
  return formulaFault(source)?.message ?? null
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
  /** The organisation's time zone, in which `today()` is a day. */
  readonly zone: string
  /** What the work is charged to besides the formula's own budget. */
  readonly budget?: Budget
}

/**
 * Compiles a formula to a function that works it out, which throws BudgetSpent where the formula does more work than it may.
 * @throws Error when it does not parse
 */
export function compileFormula(source: string): (facts: FormulaFacts) => unknown {
  const parsed = parseFormula(source)
  if ('fault' in parsed) throw new Error(parsed.fault.message)
  const part = compilePart(parsed.tree)
  const mentions = mentionedIn(source)
  return (facts) => {
    const budget = facts.budget?.part(FORMULA_STEPS, 'The formula') ?? new Budget(FORMULA_STEPS, 'The formula')
    return plain(part.work({ names: contextOf(facts, mentions), around: null, budget }))
  }
}

/** Whether a formula may mean a name. */
type Mentions = (name: string) => boolean

/**
 * The names a formula can mean are those written in it; so that records are given no others.
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
  if (value instanceof FeelDate || value instanceof FeelDateTime) return value.iso
  return Array.isArray(value) ? value.map(plain) : (value ?? null)
}

/**
 * The names that a formula knows: the record's fields, and what means the same whatever the table, which takes precedence: a field that is called `change` or `today` is `record.change`,
 * `record.today`. `now()` and `today()` are the moment of what set the workflow off, so that a formula gives the same in a rehearsal.
 */
function contextOf(facts: FormulaFacts, mentions: Mentions): Record<string, unknown> {
  const { schema, lookups, table, own, before, roots, change } = facts
  const context: Record<string, unknown> = {}
  const record = recordInFormula(table, own, schema, lookups, mentions)
  const lazily = (name: string, get: () => unknown) => mentions(name) && getter(context, name, get)
  lazily(table.singular, () => record)
  for (const field of table.fields) lazily(field.name, () => (record as Record<string, unknown>)[field.name])
  for (const [name, held] of roots) lazily(name, () => rootInFormula(held, schema, lookups, mentions))
  lazily('record', () => record)
  lazily('before', () => before && recordInFormula(table, before, schema, lookups, mentions))
  lazily('change', () => ({ kind: change.kind, at: parseDateTime(change.at.toISOString()), by: change.by.name, fields: change.changed ?? [] }))
  lazily('now', () => new FeelFunction(() => parseDateTime(change.at.toISOString()), []))
  lazily('today', () => new FeelFunction(() => parseDate(dayFrom(change.at, 0, facts.zone)), []))
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
    const id = idFrom(value)
    const linked = id === null ? null : lookups.record(target.name, id)
    return linked && recordInFormula(target, linked, schema, lookups, mentions)
  }
  if (field.type === 'date') return parseDate(String(value))
  if (field.type === 'date-time') return parseDateTime(new Date(String(value)).toISOString())
  return field.type === 'number' || field.type === 'money' ? Number(value) : value
}
