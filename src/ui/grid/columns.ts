import type { View } from '@/core/document/view'
import type { FieldDef, TableDef } from '@/core/values/tables'
import { widthOf } from './cell'

/** A column of the grid: its field, how wide it is, and where it stays while the rest scrolls, if it does, in pixels. */
export interface ColumnDef {
  readonly field: FieldDef
  readonly width: number
  readonly left: number | null
}

/** How wide the column is in which records are chosen, in pixels. */
export const CHOOSER = 30

/** The fields as columns: the title first, then those that the view names, or all; the first few stay in sight. */
export function columnsOf(table: TableDef, { columns, widths, frozen = 1 }: View): ColumnDef[] {
  const title = table.fields.filter((f) => f.name === table.titleField)
  const others = columns ? columns.flatMap((name) => table.fields.filter((f) => f.name === name)) : table.fields
  let left = CHOOSER
  return [...title, ...others.filter((f) => f.name !== table.titleField)].map((field, i) => {
    const width = widths?.[field.name] ?? widthOf(field)
    const column = { field, width, left: i < frozen ? left : null }
    left += width
    return column
  })
}

/** The fields that are sorted by, in order, each with its direction. */
export const ordersOf = (order: string | undefined): { name: string; descending: boolean }[] =>
  (order ?? '')
    .split(',')
    .filter(Boolean)
    .map((part) => ({ name: part.replace(/^-/, ''), descending: part.startsWith('-') }))

/** The order after a head was pressed: up, then down, then not; beside the others where they are kept. */
export function pressedOrder(order: string | undefined, name: string, keepOthers: boolean): string | undefined {
  const orders = ordersOf(order)
  const was = orders.find((o) => o.name === name)
  const next = was ? (was.descending ? [] : [{ name, descending: true }]) : [{ name, descending: false }]
  const others = keepOthers ? orders : []
  const all = was && keepOthers ? others.flatMap((o) => (o.name === name ? next : [o])) : [...others.filter((o) => o.name !== name), ...next]
  return all.map((o) => `${o.descending ? '-' : ''}${o.name}`).join(',') || undefined
}
