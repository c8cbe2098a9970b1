/** The types a field can have; each is a real column type in the database. */
export const FIELD_TYPES = ['text', 'long text', 'number', 'money', 'yes/no', 'choice', 'date', 'date-time', 'email', 'phone', 'person', 'link', 'file', 'folder'] as const
export type FieldType = (typeof FIELD_TYPES)[number]

/** A value as a record's image holds it: link, person and file fields hold an id, dates `YYYY-MM-DD`, date-times ISO 8601 text. */
export type Stored = string | number | boolean | null

/** A record's id: a number where its table's key is one, else a text. */
export type RecordId = number | string

/** The keys that records of a table can have: whole numbers that the database counts, UUIDs (RFC 9562) that it draws, or texts that whoever creates a record gives. */
export const KEYS = ['number', 'uuid', 'text'] as const
export type Key = (typeof KEYS)[number]

/** A record as it stood at one moment: field name to stored value. A field that is absent is blank. */
export type Image = Readonly<Record<string, Stored>>

/** A file without its content. */
export interface FileInfo {
  readonly id: number
  readonly name: string
  /** Its media type (RFC 6838), found from its content. */
  readonly type: string
  /** In bytes. */
  readonly size: number
}

export interface FieldDef {
  readonly name: string
  readonly label: string
  readonly type: FieldType
  readonly choices?: readonly string[]
  /** For `link`: the table it points at. */
  readonly table?: string
  /** For `link`: the key of that table's records, where it is no number. */
  readonly key?: Exclude<Key, 'number'>
  readonly required?: boolean
  readonly default?: Stored
  /** Pattern of an automatic number, `CL-{0000}`. */
  readonly number?: string
  /** A field whose changes do not count as changes of the record. */
  readonly housekeeping?: boolean
  /** Whether no two records have the same value; texts are compared as conditions compare them. */
  readonly unique?: boolean
  /** Of a choice: signs that stand before some of its choices, by choice. */
  readonly marks?: Readonly<Record<string, string>>
  /** For `number`: that it is shown as a percentage, or rounded. */
  readonly unit?: 'percent' | 'rounded'
  /** Whether an email field holds several addresses, with commas between. */
  readonly many?: boolean
  /** Whether nobody can give it: another program's table works it out by itself. */
  readonly readOnly?: boolean
}

/** Where a table of another program is, and what Rappel may do with its records besides reading them. */
export interface Attachment {
  readonly schema: string
  readonly table: string
  readonly mayCreate: boolean
  readonly mayChange: boolean
  readonly mayDelete: boolean
  /** Why it cannot be read or watched any more, as a sentence. */
  readonly trouble?: string
}

/** A figure as far as tables know of it; `core/figures` knows the rest. */
export interface NamedFigure {
  readonly name: string
}

/** What says how a field's values are compared. */
export type Compared = Pick<FieldDef, 'type' | 'key'>

export interface TableDef {
  readonly name: string
  readonly label: string
  readonly singular: string
  /** The field that names a record to people. */
  readonly titleField: string
  readonly ownerField?: string
  /** What its records are told apart by, where that is no number. */
  readonly key?: Exclude<Key, 'number'>
  readonly fields: readonly FieldDef[]
  /** Whether it is put away: kept and watched, but not offered. */
  readonly archived?: boolean
  /** Of a table that another program owns. */
  readonly attached?: Attachment
  /** The figures that are worked out over its records. */
  readonly figures?: readonly NamedFigure[]
  /** Why there is no one record of it here whose fields could be meant, as a sentence; where that is so it has no fields at all. */
  readonly none?: string
  /** Whether only the fields that name its records and link them are here, and those that a new one must have: the whole is fetched once it is spoken of. */
  readonly short?: true
}

/** Most fields that a table can have: its log has two columns for each, and PostgreSQL lets a table have 1,600 (15, Appendix K, “PostgreSQL Limits”). */
export const MOST_FIELDS = 750

/** Every table by name, `person` included. */
export type Schema = ReadonlyMap<string, TableDef>

/** The organisation's settings that decide how values are compared and written. */
export interface Organisation {
  readonly name: string
  /** BCP 47 tag, such as `en-GB`. */
  readonly locale: string
  /** IANA time zone, such as `Europe/London`. */
  readonly zone: string
  /** ISO 4217 code used for money. */
  readonly currency: string
  /** Hours in which mail is held of workflows that go by the organisation's; none where absent. */
  readonly quietHours?: { readonly from: string; readonly to: string; readonly days?: readonly number[] } | null
  /** Times of the day at which digests come of workflows that go by the organisation's. */
  readonly digestAt?: readonly string[] | null
}

const CREATED_AT: FieldDef = { name: 'created_at', label: 'Created', type: 'date-time', housekeeping: true }
const UPDATED_AT: FieldDef = { name: 'updated_at', label: 'Updated', type: 'date-time', housekeeping: true }

const NUMBERED: readonly FieldDef[] = [{ name: 'id', label: 'Id', type: 'number', housekeeping: true }, CREATED_AT, UPDATED_AT]
const NAMED: readonly FieldDef[] = [{ name: 'id', label: 'Id', type: 'text', housekeeping: true }, CREATED_AT, UPDATED_AT]

/** The fields that every table has besides its own: `id`, `created_at`, `updated_at`. */
export const everyTableFields = ({ key }: Pick<TableDef, 'key'>): readonly FieldDef[] => (key ? NAMED : NUMBERED)

/** People, described as a table so that paths can pass through them. */
export const PERSON_TABLE: TableDef = {
  name: 'person',
  label: 'People',
  singular: 'person',
  titleField: 'name',
  fields: [
    { name: 'name', label: 'name', type: 'text' },
    { name: 'first_name', label: 'first name', type: 'text' },
    { name: 'last_name', label: 'last name', type: 'text' },
    { name: 'email', label: 'email', type: 'email' },
    { name: 'phone', label: 'phone', type: 'phone' },
    { name: 'team', label: 'team', type: 'text' },
    { name: 'manager', label: 'manager', type: 'person' },
    { name: 'active', label: 'active', type: 'yes/no' },
  ],
}

/** Finds a field of a table by name, the fields of every table included; undefined where there is none. */
export function fieldOf(table: TableDef, name: string): FieldDef | undefined {
  if (table.none !== undefined) return undefined
  return table.fields.find((f) => f.name === name) ?? everyTableFields(table).find((f) => f.name === name)
}

/** The table that a link or person field leads to; undefined for other types. */
export function targetOf(field: FieldDef): string | undefined {
  if (field.type === 'person') return 'person'
  return field.type === 'link' ? field.table : undefined
}

/** The id that a stored value is; null where it is none. */
export function idFrom(value: Stored | undefined): RecordId | null {
  return value === undefined || value === '' || typeof value === 'boolean' ? null : value
}

/** The id of a record. @throws Error for an image without one, as only a record has that is not stored yet */
export function idOf(image: Image): RecordId {
  const id = idFrom(image.id)
  if (id === null) throw new Error('A record without an id was asked for it.')
  return id
}

/** Where a record's page is. */
export const recordPath = (table: string, id: Stored | undefined): string => `/records/${table}/${encodeURIComponent(String(id ?? ''))}`

/** Where the page of a change is; with its table, where that is known, in whose log it is looked for first. */
export const changePath = (id: number | string, table?: string | null): string => `/changes/${id}${table ? `?table=${table}` : ''}`

/** What a record is called: its title field's text, or the table's singular and the id. */
export function titleOf(table: TableDef, image: Image): string {
  const title = image[table.titleField]
  return title === null || title === undefined || title === '' ? `${table.singular} ${image.id ?? ''}`.trim() : String(title)
}

/** A table where no one record of it is meant, and why, as a sentence. */
export function withoutRecord({ name, label, singular }: TableDef, none: string): TableDef {
  return { name, label, singular, titleField: 'id', fields: [], none }
}

/** The fields whose changes make a change of the record, in the table's order. */
export function countingFields(table: TableDef): FieldDef[] {
  return table.fields.filter((f) => !f.housekeeping)
}
