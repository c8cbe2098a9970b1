import { type FieldDef, type Schema, type TableDef, targetOf } from '../values/tables'
import type { Workflow } from './document'

/** A field that a document speaks of. */
export interface Mentioned {
  readonly table: TableDef
  readonly field: FieldDef
}

/** The fields that a workflow speaks of by name, in whatever part of it: its table's own, and those one link further. */
export function mentionedFields({ name: _, examples: __, ...rest }: Workflow, schema: Schema): Mentioned[] {
  const table = schema.get(rest.table)
  if (!table) return []
  const text = JSON.stringify(rest)
  const words = new Set(text.match(/\w+/g))
  return table.fields
    .filter((field) => words.has(field.name))
    .flatMap((field) => {
      const target = schema.get(targetOf(field) ?? '')
      const beyond = target ? target.fields.filter((f) => text.includes(`${field.name}.${f.name}`)).map((f) => ({ table: target, field: f })) : []
      return [{ table, field }, ...beyond]
    })
}
