import type { CatalogColumn, CatalogTable } from './catalog'
import { type AttachedField, MOMENTS } from './describe'

/** What its owner did to an attached table, as far as its fields are concerned. */
export interface Moves {
  /** The fields whose columns go on, as they are now. */
  readonly kept: readonly { readonly field: AttachedField; readonly column: CatalogColumn; readonly was: AttachedField }[]
  /** Columns that no field is of yet. */
  readonly added: readonly CatalogColumn[]
  /** Fields whose columns are gone, or hold what no field can. */
  readonly gone: readonly AttachedField[]
}

/**
 * Holds an attached table's fields against its columns as they are now. Where it is the `same` table, a column is known by its number, which renaming leaves, else, and where it
 * was made anew, by its name.
 */
export function movesOf(fields: readonly AttachedField[], { columns }: Pick<CatalogTable, 'columns'>, same: boolean): Moves {
  const byNumber = new Map(columns.map((c) => [c.attnum, c]))
  const byName = new Map(columns.map((c) => [c.name, c]))
  const numbered = new Map(fields.map((f) => [f, same ? byNumber.get(f.attnum) : undefined]))
  const taken = new Set<CatalogColumn>()
  for (const column of numbered.values()) if (column) taken.add(column)
  const kept: Moves['kept'][number][] = []
  const gone: AttachedField[] = []
  for (const field of fields) {
    const named = byName.get(field.attname)
    const column = numbered.get(field) ?? (named && !taken.has(named) ? named : undefined)
    if (!column || column.seen === null || column.type === null) {
      gone.push(field)
      continue
    }
    taken.add(column)
    const { seen, type, attnum, name: attname } = column
    const isReadOnly = column.isReadOnly || (field.isReadOnly && MOMENTS.includes(field.field))
    kept.push({ was: field, column, field: { field: field.field, attnum, attname, seen, type, isReadOnly } })
  }
  return { kept, added: columns.filter((c) => !taken.has(c) && c.seen !== null), gone }
}

/** Whether anything of it is not as it was. */
export const hasMoved = ({ kept, added, gone }: Moves): boolean =>
  added.length > 0 || gone.length > 0 || kept.some(({ field, was }) => JSON.stringify(field) !== JSON.stringify(was))

/** What was done to a table, in sentences for whoever keeps workflows about it; none where nothing that they would notice was. */
export function newsOf({ kept, added, gone }: Moves, paused: ReadonlyMap<string, readonly string[]>): string[] {
  const told: string[] = []
  for (const { field, was } of kept) {
    if (field.attname !== was.attname)
      told.push(`Its owner renamed the column ${was.attname} to ${field.attname}. The field ${field.field} is read from there now; nothing is to be done.`)
    if (field.type !== was.type)
      told.push(`Its owner gave the column ${field.attname} the type ${field.type}; it was ${was.type}. Look through the conditions on the field ${field.field}.`)
  }
  for (const { attname, field } of gone) {
    const stopped = paused.get(field) ?? []
    const of = stopped.length
      ? ` Paused, because they speak of it: ${stopped.join(', ')}. Take the field out of them, and send them live again.`
      : ' Nothing that is live speaks of it.'
    told.push(`Its owner dropped the column ${attname}: the field ${field} is gone.${of}`)
  }
  for (const { name } of added) told.push(`Its owner added the column ${name}: it is a field now.`)
  return told
}
