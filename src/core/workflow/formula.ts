import { evaluate, FeelDate, FeelDateTime, parseDate, parseDateTime } from 'feelin'
import type { Lookups } from '../paths/lookups'
import type { RootValue } from '../paths/roots'
import { type FieldDef, type Image, type Schema, type Stored, type TableDef, targetOf } from '../values/tables'
import type { RunState } from './run/state'

const MAX_FORMULA = 2_000
const MAX_STEPS = 100_000

/** What is wrong with a formula in FEEL (OMG DMN 1.5, chapter 10), or null. */
export function formulaProblem(source: string): string | null {
  if (source.trim() === '') return 'The formula is empty.'
  if (source.length > MAX_FORMULA) return `The formula has ${source.length} characters; at most ${MAX_FORMULA} are allowed.`
  for (const [, low, high] of source.matchAll(/(-?\d+)\s*\.\.\s*(-?\d+)/g))
    if (Math.abs(Number(high) - Number(low)) > MAX_STEPS) return `The formula goes through ${low}..${high}; at most ${MAX_STEPS} steps are allowed.`
  try {
    evaluate(source, {})
    return null
  } catch (error) {
    return `The formula does not parse: ${(error as Error).message}.`
  }
}

/**
 * Compiles a formula to a function that works it out in a run.
 * @throws Error when it does not parse
 */
export function compileFormula(source: string): (run: RunState) => unknown {
  const problem = formulaProblem(source)
  if (problem) throw new Error(problem)
  return (run) => plain(evaluate(source, contextOf(run)).value)
}

/** A result as the rest of the core knows values: dates and date-times as ISO 8601 text. */
function plain(value: unknown): unknown {
  if (value instanceof FeelDate || value instanceof FeelDateTime) return (value as { iso: string }).iso
  return Array.isArray(value) ? value.map(plain) : (value ?? null)
}

function contextOf(run: RunState): Record<string, unknown> {
  const { schema } = run.surroundings
  const context: Record<string, unknown> = {}
  const record = recordInFormula(run.table, run.record(), schema, run.lookups)
  for (const field of run.table.fields) lazily(context, field.name, () => (record as Record<string, unknown>)[field.name])
  for (const [name, held] of run.roots) lazily(context, name, () => rootInFormula(held, schema, run.lookups))
  lazily(context, 'record', () => record)
  lazily(context, run.table.singular, () => record)
  lazily(context, 'before', () => run.change.before && recordInFormula(run.table, run.change.before, schema, run.lookups))
  context.change = { kind: run.change.kind, at: parseDateTime(run.change.at.toISOString()), by: run.change.by.name, fields: run.change.changed }
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
