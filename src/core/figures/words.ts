import { clauseSentence, type Wording } from '../conditions/sentence'
import { type Condition, isClause, jointOf } from '../document/condition'
import { type Figure, isComputed, measureOf, type TableFigure, type Threshold, type Window, type Within } from '../document/figure'
import { formatStored } from '../values/format'
import { fieldOf, type Organisation, type Schema, type TableDef } from '../values/tables'
import { type Crossing, exactly, type FigureValue } from './crossing'
import { figureField } from './groups'
import { labelOf } from './label'
import type { FigureUnit } from './of-table'
import { readShift } from './window'

/** A figure's value as people read it: in its unit, `blank` where it has none. */
export function shownValue(unit: FigureUnit, value: FigureValue | number, organisation: Organisation): string {
  const stored = typeof value === 'number' ? value : exactly(value)
  return stored === null ? 'blank' : formatStored(unit, stored, organisation)
}

/** A crossing in a sentence. */
export function crossingWords({ figure, threshold, line, before, value, count }: Crossing): string {
  return `${labelOf({ name: figure })} went from ${before ?? 'nothing'} to ${value ?? 'nothing'} and crossed ${line} (${threshold}); ${count === 1 ? 'one record is' : `${count} records are`} behind it.`
}

/** What a run of a crossing is called: the figure, and what it went from and to. */
export const crossingTitle = ({ figure, before, value }: Crossing): string => `${labelOf({ name: figure })}: ${before ?? 'blank'} to ${value ?? 'blank'}`

const label = (table: TableDef, name: string) => (fieldOf(table, name)?.label ?? name).toLowerCase()

/** A line in words: a number, or another figure's value. */
export const lineWords = ({ value }: Pick<Threshold, 'value'>): string =>
  typeof value === 'number' ? value.toLocaleString('en-GB') : labelOf({ name: value.figure }).toLowerCase()

/** What a figure measures, in words: "count of claims", "sum of amount of claims". */
export function measureWords(of: TableFigure['of'], table: TableDef): string {
  const { kind, field } = measureOf(of)
  const records = table.label.toLowerCase()
  if (field === null) return `count of ${records}`
  return kind === 'distinct' ? `different ${label(table, field)}s of ${records}` : `${kind} of ${label(table, field)} of ${records}`
}

/** What a figure is grouped by, in words. */
export function groupWords(by: NonNullable<TableFigure['by']>, table: TableDef, schema: Schema): string {
  const named = (path: string) => {
    const found = figureField(table, schema, path)
    if ('problem' in found) return path
    return found.link ? `${found.link.label.toLowerCase()}’s ${found.field.label.toLowerCase()}` : found.field.label.toLowerCase()
  }
  return typeof by === 'string' ? named(by) : `${by.each} of ${named(by.field)}`
}

const windowWords = (window: Window) => (typeof window === 'string' ? window : `the last ${window.last === 1 ? 'day' : `${window.last} days`}`)

const UNITS = ['years', 'months', 'weeks', 'days'] as const

/** How far back a window is, in words: "a year before". */
export function shiftWords(shift: string): string {
  const read = readShift(shift)
  const parts = read ? UNITS.filter((u) => read[u] > 0).map((u) => (read[u] === 1 ? `a ${u.slice(0, -1)}` : `${read[u]} ${u}`)) : []
  return parts.length ? `${parts.join(' and ')} before` : shift
}

/** A window in words: "due this week, a year before". */
export const withinWords = ({ field, window, shift }: Within, table: TableDef): string => `${label(table, field)} ${windowWords(window)}${shift ? `, ${shiftWords(shift)}` : ''}`

/** A condition in one sentence. */
export function whereWords(where: Condition, table: TableDef, wording: Wording): string {
  if (isClause(where)) return clauseSentence(where, table, wording)
  const [joint, children] = jointOf(where)
  return children
    .map((child) => (isClause(child) ? clauseSentence(child, table, wording) : `(${whereWords(child, table, wording)})`))
    .join(joint === 'all' ? ' and ' : joint === 'any' ? ' or ' : ' nor ')
}

/** A whole figure in one line, as it is listed. */
export function figureWords(figure: Figure, table: TableDef, wording: Wording): string {
  if (isComputed(figure)) return figure.formula
  const { of, where, by, within } = figure
  return [
    measureWords(of, table),
    where ? `where ${whereWords(where, table, wording)}` : '',
    within ? withinWords(within, table) : '',
    by === undefined ? '' : `by ${groupWords(by, table, wording.schema)}`,
  ]
    .filter(Boolean)
    .join(', ')
}
