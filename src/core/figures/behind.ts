import type { Condition } from '../document/condition'
import { PERIODS, type Period } from '../document/figure'
import { dayFrom, startOfDay } from '../values/dates'
import type { FieldDef, Schema, TableDef } from '../values/tables'
import { allFigures, rootsOf } from './computed'
import type { Crossing } from './crossing'
import { figureField } from './groups'
import { figureOf } from './of-table'
import { daysWithin, periodEnd } from './window'

/**
 * The conditions that the records behind a figure's group meet at a moment: those of the figure, of the group, and of its window. Behind a computed figure are the records of the first figure that it is
 * worked out from.
 */
export function behind({ figure: name, group }: Pick<Crossing, 'figure' | 'group'>, at: Date, table: TableDef, schema: Schema, zone: string): Condition[] {
  const known = figureOf(table, name)
  const figure = known && rootsOf(known.definition, allFigures(schema))[0]
  if (!figure) return []
  const conditions: Condition[] = figure.where ? [figure.where] : []
  const { by, within } = figure
  const dated = (path: string) => {
    const found = figureField(table, schema, path)
    return 'problem' in found ? null : found.field
  }
  if (by !== undefined) {
    const path = typeof by === 'string' ? by : by.field
    const field = dated(path)
    if (group === null) conditions.push({ field: path, op: 'is blank' })
    else if (typeof by === 'string') conditions.push({ field: path, op: 'is', value: group })
    else if (field && PERIODS.includes(by.each)) conditions.push(between({ ...field, name: path }, { from: String(group), to: lastDay(String(group), by.each) }, zone))
  }
  const windowed = within && dated(within.field)
  if (within && windowed) conditions.push(between({ ...windowed, name: within.field }, daysWithin(within, at, zone), zone))
  return conditions
}

const lastDay = (first: string, each: Period) => (each === 'day' ? first : periodEnd(first, each))

/** A date that falls into some days, both included. */
function between({ name, type }: FieldDef, { from, to }: { from: string; to: string }, zone: string): Condition {
  if (type !== 'date-time') return { field: name, op: 'between', value: from, to }
  const next = startOfDay(dayFrom(startOfDay(to, zone), 1, zone), zone)
  return {
    all: [
      { field: name, op: 'at least', value: startOfDay(from, zone).toISOString() },
      { field: name, op: 'less than', value: next.toISOString() },
    ],
  }
}
