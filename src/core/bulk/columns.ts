import { must } from '../must'
import { unaccented } from '../values/letters'
import { OWNED_BY_RAPPEL } from '../values/parse'
import { type FieldDef, fieldOf, type TableDef } from '../values/tables'

/** A heading or label as they are compared: without case, accents, spaces and signs. */
export const plainName = (text: string): string => unaccented(text).replaceAll(/[^\p{L}\p{N}]/gu, '')

/** The fields that a file can fill: files are attached, not imported, and what Rappel keeps is not given; `id` where it tells records apart. */
export const importable = (table: TableDef): FieldDef[] => table.fields.filter((f) => f.type !== 'file' && !OWNED_BY_RAPPEL.includes(f.name))

/** A field that a column of a file can be matched to, by its name; `id` is one too. */
export const importField = (table: TableDef, name: string): FieldDef | undefined => (name === 'id' ? fieldOf(table, name) : importable(table).find((f) => f.name === name))

/** Matches the headings of a file to a table's fields by label or name, each field once; null where a heading is none. */
export function matchColumns(headings: readonly string[], table: TableDef): (string | null)[] {
  const fields = [must(fieldOf(table, 'id')), ...importable(table)]
  const taken = new Set<string>()
  return headings.map((heading) => {
    const plain = plainName(heading)
    const field = plain === '' ? undefined : fields.find((f) => !taken.has(f.name) && (plainName(f.label) === plain || plainName(f.name) === plain))
    if (field) taken.add(field.name)
    return field?.name ?? null
  })
}
