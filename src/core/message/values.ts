import { Drop } from 'liquidjs'
import type { Change, ChangedBy } from '../changes/change'
import { must } from '../must'
import type { Lookups } from '../paths/lookups'
import { isBlank } from '../values/compare'
import { formatStored, type ShownType, shownType } from '../values/format'
import { type FieldDef, fieldOf, type Image, idFrom, type Organisation, type Schema, type Stored, type TableDef, targetOf, titleOf } from '../values/tables'

/** What placeholders are filled from. */
export interface Filling {
  readonly schema: Schema
  readonly organisation: Organisation
  readonly lookups: Lookups
}

/** A value with its type: compares and filters as the bare value, prints in the organisation's locale and zone. */
export class TypedValue extends Drop {
  readonly #type: ShownType
  readonly #value: Stored
  readonly #organisation: Organisation

  constructor(type: ShownType, value: Stored, organisation: Organisation) {
    super()
    this.#type = type
    this.#value = value
    this.#organisation = organisation
  }

  override valueOf(): Stored {
    return this.#value
  }

  override toString(): string {
    return formatStored(this.#type, this.#value, this.#organisation)
  }

  /** The bare value with its type, for filters that format it another way. */
  bare(): { type: ShownType; value: Stored } {
    return { type: this.#type, value: this.#value }
  }
}

/** A record as placeholders see it: fields by name, links followed as asked, printed as its title. */
export class RecordValue extends Drop {
  readonly #table: TableDef
  readonly #image: Image
  readonly #filling: Filling
  readonly #extra: Readonly<Record<string, unknown>>

  constructor(table: TableDef, image: Image, filling: Filling, extra: Readonly<Record<string, unknown>> = {}) {
    super()
    this.#table = table
    this.#image = image
    this.#filling = filling
    this.#extra = extra
  }

  override liquidMethodMissing(key: string | number): unknown {
    const name = String(key)
    if (Object.hasOwn(this.#extra, name)) return this.#extra[name]
    const field = fieldOf(this.#table, name)
    if (!field) throw new Error(`${this.#table.label} has no field ${JSON.stringify(name)}`)
    return placeholderValue(field, this.#image[name], this.#filling)
  }

  override valueOf(): string {
    return titleOf(this.#table, this.#image)
  }

  override toString(): string {
    return titleOf(this.#table, this.#image)
  }
}

// LiquidJS reads what a Drop inherits before it asks it for a name, and a table may have a field that is called constructor
Object.defineProperty(RecordValue.prototype, 'constructor', { value: undefined })

/** A field's stored value as a placeholder sees it: null when blank, a record for links and people, a file's name, else a typed value. */
export function placeholderValue(field: FieldDef, value: Stored | undefined, filling: Filling): unknown {
  if (isBlank(value)) return null
  const target = targetOf(field)
  if (field.type === 'file') return filling.lookups.file(Number(value))?.name ?? null
  if (!target) return new TypedValue(shownType(field), value, filling.organisation)
  const table = filling.schema.get(target)
  const id = idFrom(value)
  const image = id === null ? null : filling.lookups.record(target, id)
  return table && image ? new RecordValue(table, image, filling) : null
}

/** What is spoken of as the change: one that was made, or the press that ran a workflow by hand. */
export type Spoken = Pick<Change, 'at' | 'changed' | 'before' | 'after'> & { readonly kind: string; readonly by: ChangedBy }

/** The `change` that messages can speak of: kind, at, by and fields with their label, before and after. */
export function changeValue(change: Spoken, table: TableDef, filling: Filling): Record<string, unknown> {
  const person = change.by.person === null ? null : filling.lookups.record('person', change.by.person)
  const people = filling.schema.get('person')
  return {
    kind: change.kind,
    at: new TypedValue('date-time', change.at.toISOString(), filling.organisation),
    by: person && people ? new RecordValue(people, person, filling) : { name: change.by.name },
    fields: change.changed.map((name) => {
      const field = must(fieldOf(table, name))
      return {
        name,
        label: field.label,
        before: placeholderValue(field, change.before?.[name], filling),
        after: placeholderValue(field, change.after?.[name], filling),
      }
    }),
  }
}
