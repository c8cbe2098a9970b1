import { evaluate, FeelDate, FeelDateTime, parseDate, parseDateTime } from 'feelin'
import type { Lookups } from '../paths/lookups'
import type { RootValue } from '../paths/roots'
import { type FieldDef, type Image, type Schema, type Stored, type TableDef, targetOf } from '../values/tables'

const MAX_FORMULA = 2_000
const MAX_STEPS = 100_000

/** What is wrong with a formula in FEEL (OMG DMN 1.5, chapter 10), or null. */
export function formulaProblem(source: string): string | null {
  if (source.trim() === '') return 'The formula is empty.'
  if (source.length > MAX_FORMULA) return `The formula has ${source.length} characters; at most ${MAX_FORMULA} are allowed.`
  const endless = rangeProblem(source)
  if (endless) return endless
  try {
    evaluate(source, {})
    return null
  } catch (error) {
    return `The formula does not parse: ${(error as Error).message}.`
  }
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
  return (facts) => plain(evaluate(source, contextOf(facts)).value)
}

/** A result as the rest of the core knows values: dates and date-times as ISO 8601 text. */
function plain(value: unknown): unknown {
  if (value instanceof FeelDate || value instanceof FeelDateTime) return (value as { iso: string }).iso
  return Array.isArray(value) ? value.map(plain) : (value ?? null)
}

function contextOf({ schema, lookups, table, own, before, roots, change }: FormulaFacts): Record<string, unknown> {
  const context: Record<string, unknown> = {}
  const record = recordInFormula(table, own, schema, lookups)
  for (const field of table.fields) lazily(context, field.name, () => (record as Record<string, unknown>)[field.name])
  for (const [name, held] of roots) lazily(context, name, () => rootInFormula(held, schema, lookups))
  lazily(context, 'record', () => record)
  lazily(context, table.singular, () => record)
  lazily(context, 'before', () => before && recordInFormula(table, before, schema, lookups))
  context.change = { kind: change.kind, at: parseDateTime(change.at.toISOString()), by: change.by.name, fields: change.changed ?? [] }
  return context
}

function lazily(target: object, name: string, get: () => unknown): void {
  Object.defineProperty(target, name, { get, enumerable: true, configurable: true })
}

function rootInFormula(held: RootValue, schema: Schema, lookups: Lookups): unknown {
  if (held.kind === 'value') return held.value
  if (held.kind === 'list') return held.images.map((image) => recordInFormula(held.table, image, schema, lookups))
  return held.image && recordInFormula(held.table, held.image, schema, lookups)
}

/** A record as a FEEL context; its links are followed when they are read. */
function recordInFormula(table: TableDef, image: Image, schema: Schema, lookups: Lookups): object {
  const context = { id: image.id ?? null }
  for (const field of table.fields) lazily(context, field.name, () => fieldInFormula(field, image[field.name], schema, lookups))
  return context
}

function fieldInFormula(field: FieldDef, value: Stored | undefined, schema: Schema, lookups: Lookups): unknown {
  if (value === null || value === undefined) return null
  const target = schema.get(targetOf(field) ?? '')
  if (target) {
    const linked = lookups.record(target.name, Number(value))
    return linked && recordInFormula(target, linked, schema, lookups)
  }
  if (field.type === 'date') return parseDate(String(value))
  if (field.type === 'date-time') return parseDateTime(new Date(String(value)).toISOString())
  return field.type === 'number' || field.type === 'money' ? Number(value) : value
}
