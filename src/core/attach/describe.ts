import { type Column, singularOf, snakeName } from '../bulk/propose'
import { OWNED_BY_RAPPEL } from '../values/parse'
import type { FieldDef, TableDef } from '../values/tables'
import type { CatalogColumn, CatalogTable } from './catalog'

/** The column that a field of an attached table is. */
export interface AttachedField {
  readonly field: string
  readonly attnum: number
  readonly attname: string
  readonly seen: string
  readonly type: string
  readonly isReadOnly: boolean
}

/** An attached table as Rappel knows it, and the columns behind its fields, the key's and the moments of every table included. */
export interface Described {
  readonly table: TableDef
  readonly columns: readonly AttachedField[]
}

/** The attached table that a foreign key leads to, by the schema and name of what it references; undefined where it is not attached, or not referenced by its key. */
export type Attached = (schema: string, table: string, references: string) => string | undefined

/** Words of a name: of `OrderDate`, `order_date` and `order date` alike. */
const wordsOf = (name: string): string =>
  name
    .replaceAll(/([\p{Ll}\d])(\p{Lu})/gu, '$1 $2')
    .replaceAll(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .replaceAll(/[_\s]+/g, ' ')
    .trim()

/** The label of a name. */
export function labelOf(name: string): string {
  const words = wordsOf(name)
  return words.charAt(0).toUpperCase() + (/\p{Ll}/u.test(words) ? words.slice(1) : words.slice(1).toLowerCase())
}

/** The name of a table of another program here, before it is told apart from others. */
export const proposedName = (table: string): string => snakeName(wordsOf(table), 'table')

const MOST_CHOICES = 200

/** A check of one column that is a list, as PostgreSQL writes `in (…)`: `CHECK ((("Terms")::text = ANY ((ARRAY['net 14'::character varying, …])::text[])))`. */
const LIST = /^CHECK \(+(?:"(?:[^"]|"")*"|\w+)\)?(?:::[a-z ]+)?\)? = ANY \(+ARRAY\[((?:[^'\]]|'(?:[^']|'')*')*)\][)\s:a-z[\]]*( NOT VALID)?$/s

/** The texts that a check of one column lets in where it is a list of them and nothing else. */
export function listOf(check: string): string[] | null {
  const inner = LIST.exec(check)?.[1]
  if (inner === undefined) return null
  const texts = [...inner.matchAll(/'((?:[^']|'')*)'/g)].map(([, text = '']) => text.replaceAll("''", "'"))
  const isAll = /^[\s,]*$/.test(inner.replaceAll(/\(?'(?:[^']|'')*'(?:::[a-z ]+(?:\(\d+\))?)*\)?(?:::[a-z ]+)?/g, ''))
  return isAll && texts.length > 0 && texts.length <= MOST_CHOICES ? texts : null
}

/** What type of field a column is. */
export function fieldOfColumn(column: CatalogColumn, samples: Column | undefined): Pick<FieldDef, 'type' | 'choices'> {
  switch (column.type) {
    case 'numeric':
      return { type: column.plain === 'money' ? 'money' : 'number' }
    case 'smallint':
    case 'integer':
    case 'bigint':
      return { type: 'number' }
    case 'boolean':
      return { type: 'yes/no' }
    case 'date':
      return { type: 'date' }
    case 'timestamp with time zone':
      return { type: 'date-time' }
    default: {
      const choices = column.labels ?? column.checks.map(listOf).find(Boolean)
      if (choices?.length) return { type: 'choice', choices }
      const seen = samples?.type()
      return { type: seen === 'email' || seen === 'phone' || seen === 'long text' ? seen : 'text' }
    }
  }
}

/** The moments that every table has, which another program's may have of its own. */
export const MOMENTS: readonly string[] = ['created_at', 'updated_at']

/** The columns whose texts tell what type of field they are. */
export const textColumns = ({ columns }: CatalogTable): string[] => columns.filter((c) => c.type === 'text' && c.labels === null).map((c) => c.name)

/** Describes a table of another program under a name: its fields by its columns, and by a sample of what is in those of texts. */
export function describeTable(catalog: CatalogTable, name: string, attached: Attached, samples: ReadonlyMap<string, Column>): Described {
  const key = catalog.key?.[0]
  const taken = new Set(OWNED_BY_RAPPEL)
  const columns: AttachedField[] = []
  const fields: FieldDef[] = []
  for (const column of catalog.columns) {
    const { seen, type, attnum, name: attname } = column
    if (seen === null || type === null) continue
    const base = { attnum, attname, seen, type, isReadOnly: column.isReadOnly }
    if (attname === key?.name) columns.push({ ...base, field: 'id' })
    else if (MOMENTS.includes(attname) && type === 'timestamp with time zone') columns.push({ ...base, field: attname, isReadOnly: true })
    else {
      const field = freeName(snakeName(wordsOf(attname), 'field'), taken)
      taken.add(field)
      columns.push({ ...base, field })
      fields.push(describeField(catalog, column, field, attached, samples.get(attname)))
    }
  }
  return {
    table: {
      name,
      label: labelOf(catalog.name),
      singular: singularOf(name),
      titleField: titleOfFields(fields),
      ...(key ? keyOf(key.plain) : {}),
      fields,
    },
    columns,
  }
}

/** The field that a column is, under a name. */
export function describeField(catalog: CatalogTable, column: CatalogColumn, name: string, attached: Attached, samples: Column | undefined): FieldDef {
  const base = { name, label: labelOf(column.name), ...(column.required && !column.isReadOnly ? { required: true } : {}) }
  const link = catalog.links.find((l) => l.column === column.name)
  const table = link && attached(link.schema, link.table, link.references)
  return table ? { ...base, type: 'link', table } : { ...base, ...fieldOfColumn(column, samples) }
}

/** The first of a name that is not taken: the name, or with a number behind it. */
export function freeName(name: string, taken: ReadonlySet<string>): string {
  let free = name
  for (let n = 2; taken.has(free); n++) free = `${name.slice(0, 45)}_${n}`
  return free
}

/** What records are told apart by, where that is no number. */
const keyOf = (plain: string): Pick<TableDef, 'key'> => (plain === 'uuid' ? { key: 'uuid' } : /char|text/.test(plain) ? { key: 'text' } : {})

const TITLES = /^(name|title|subject|label|description|full_name|number|code)$|_(name|title|number|code)$/

/** The field that names a record: one that is called as such are, else the first of a text, else the first. */
export const titleOfFields = (fields: readonly FieldDef[]): string =>
  (fields.find((f) => f.type === 'text' && TITLES.test(f.name)) ?? fields.find((f) => f.type === 'text') ?? fields.find((f) => f.type === 'email') ?? fields[0])?.name ?? ''
