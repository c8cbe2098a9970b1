import type { Change } from '@/core/changes/change'
import { isBlank } from '@/core/values/compare'
import { formatStored, shownType } from '@/core/values/format'
import { everyTableFields, type FieldDef, type Image, type Organisation, type Schema, type Stored, type TableDef, targetOf, titleOf } from '@/core/values/tables'
import type { Queryable } from '@/store/database'
import { readLinked } from '@/store/records'

/** What a placeholder comes to for one change, and the share of many for which it is blank. */
export interface PlaceholderSample {
  readonly path: string
  readonly value: string
  /** From 0 to 1. */
  readonly blank: number
}

type Linked = ReadonlyMap<string, ReadonlyMap<string, Image>>

/** Works out the record's own fields and those of what it links to, for a sample and over all changes given; linked data as it is now. */
export async function samplePlaceholders(
  db: Queryable,
  schema: Schema,
  organisation: Organisation,
  table: TableDef,
  changes: readonly Change[],
  sample: Change | null,
): Promise<PlaceholderSample[]> {
  const images = changes.map((c) => c.after ?? c.before ?? {})
  const own = sample?.after ?? sample?.before ?? null
  const linked = await readLinked(db, table, own ? [...images, own] : images)
  const values = (path: string, read: (image: Image) => Stored | undefined, shown: (value: Stored | undefined) => string): PlaceholderSample => ({
    path,
    value: own ? shown(read(own)) : '',
    blank: images.length ? images.filter((image) => isBlank(read(image))).length / images.length : 0,
  })
  return [...table.fields, ...everyTableFields(table)].flatMap((field) => {
    const target = schema.get(targetOf(field) ?? '')
    const title = (value: Stored | undefined) => words(field, value, linked, schema, organisation)
    const first = values(field.name, (image) => image[field.name], title)
    if (!target) return [first]
    const far = (image: Image) => linked.get(target.name)?.get(String(image[field.name]))
    return [
      first,
      ...target.fields.map((f) =>
        values(
          `${field.name}.${f.name}`,
          (image) => far(image)?.[f.name],
          (v) => words(f, v, linked, schema, organisation),
        ),
      ),
    ]
  })
}

function words(field: FieldDef, value: Stored | undefined, linked: Linked, schema: Schema, organisation: Organisation): string {
  if (isBlank(value)) return ''
  const target = schema.get(targetOf(field) ?? '')
  if (!target) return formatStored(shownType(field), value, organisation)
  const image = linked.get(target.name)?.get(String(value))
  return image ? titleOf(target, image) : `${target.singular} ${value}`
}
