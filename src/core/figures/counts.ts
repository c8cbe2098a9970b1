import { compileCondition, type Setting } from '../conditions/compile'
import type { Figure } from '../document/figure'
import { measureOf } from '../document/figure'
import { must } from '../must'
import { LoadedLookups } from '../paths/lookups'
import { isBlank } from '../values/compare'
import { dayOf } from '../values/dates'
import { type FieldDef, fieldOf, type Image, type Organisation, type Stored, type TableDef } from '../values/tables'
import { daysWithin, periodStart } from './window'

const NOBODY = { kind: 'system' as const, person: null, name: 'nobody' }

/** Whether a record counts in a figure at a moment, and in which group; null where it does not. */
export function countsIn(figure: Figure, table: TableDef, image: Image, setting: Setting & { readonly organisation: Organisation }, at: Date): { readonly group: Stored } | null {
  const { organisation } = setting
  const { field: measured } = measureOf(figure.of)
  if (measured !== null && isBlank(image[measured])) return null
  if (figure.where) {
    const facts = { kind: 'changed' as const, before: image, after: image, at, by: NOBODY, lookups: new LoadedLookups(new Map()), organisation }
    if (!compileCondition(figure.where, table, setting, '/where').test(facts)) return null
  }
  const dayIn = (name: string) => day(must(fieldOf(table, name)), image[name], organisation.zone)
  if (figure.within) {
    const on = dayIn(figure.within.field)
    const days = daysWithin(figure.within, at, organisation.zone)
    if (on === null || on < days.from || on > days.to) return null
  }
  const { by } = figure
  if (by === undefined) return { group: null }
  if (typeof by === 'string') return { group: isBlank(image[by]) ? null : (image[by] ?? null) }
  const on = dayIn(by.field)
  return { group: on === null ? null : periodStart(on, by.each) }
}

/** The day of a date or date-time in a zone; null where it is blank. */
function day({ type }: FieldDef, value: Stored | undefined, zone: string): string | null {
  if (isBlank(value)) return null
  return type === 'date-time' ? dayOf(new Date(String(value)), zone) : String(value)
}
