import type { Condition } from '../document/condition'
import { PERIODS, type Period } from '../document/figure'
import { must } from '../must'
import { dayFrom, startOfDay } from '../values/dates'
import { type FieldDef, fieldOf, type TableDef } from '../values/tables'
import type { Crossing } from './crossing'
import { figureOf } from './of-table'
import { daysWithin, periodEnd } from './window'

/** The conditions that the records behind a crossing meet: those of its figure, of its group, and of its window at that moment. */
export function behind({ crossing, at }: { readonly crossing: Crossing; readonly at: Date }, table: TableDef, zone: string): Condition[] {
  const figure = figureOf(table, crossing.figure)
  if (!figure) return []
  const conditions: Condition[] = figure.where ? [figure.where] : []
  const { by, within } = figure
  const { group } = crossing
  if (by !== undefined) {
    const field = must(fieldOf(table, typeof by === 'string' ? by : by.field))
    if (group === null) conditions.push({ field: field.name, op: 'is blank' })
    else if (typeof by === 'string') conditions.push({ field: field.name, op: 'is', value: group })
    else if (PERIODS.includes(by.each)) conditions.push(between(field, { from: String(group), to: lastDay(String(group), by.each) }, zone))
  }
  if (within) conditions.push(between(must(fieldOf(table, within.field)), daysWithin(within, at, zone), zone))
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
