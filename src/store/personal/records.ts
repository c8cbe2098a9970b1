import { faultOf } from '@/core/must'
import { ERASED, type Mentions } from '@/core/recipients/mentions'
import { type FieldDef, fieldOf, type RecordId, type Schema, type TableDef } from '@/core/values/tables'
import { inSavepoint, many, type Queryable, quote, tableName, touch } from '../database'
import { logOf } from '../log'
import { explained } from '../problems'
import { asArguments, speaks, without } from './mentions'

/** A field of a record that holds somebody's address, by itself or among other words. */
export interface Holding {
  readonly table: string
  readonly record: RecordId
  readonly field: string
}

const OF_WORDS: ReadonlySet<string> = new Set(['email', 'text', 'long text', 'folder'])

/** The fields that hold words, a key that is a text among them. */
function fieldsOf(table: TableDef): FieldDef[] {
  const key = table.key === 'text' ? fieldOf(table, 'id') : undefined
  return [...(key ? [key] : []), ...table.fields].filter((f) => OF_WORDS.has(f.type))
}

/** Tables whose records may speak of somebody, and are there to be read. */
const tablesOf = (schema: Schema): TableDef[] =>
  [...schema.values()].filter((table) => table.name !== 'person' && !table.attached?.trouble && !table.none && fieldsOf(table).length > 0)

const ofRow = (field: FieldDef) => `t.${quote(field.name)}`

/** Records whose fields hold an address, by itself or among other words. */
export async function readHoldings(db: Queryable, schema: Schema, mentions: Mentions): Promise<Holding[]> {
  const found: Holding[] = []
  for (const table of tablesOf(schema)) {
    const fields = fieldsOf(table)
    const rows = await many<{ id: RecordId; fields: string[] }>(
      db,
      `select t.id, array_remove(array[${fields.map((f, i) => `case when ${speaks(ofRow(f))} then $${i + 4}::text end`).join(', ')}], null) as fields
         from ${tableName(table.name)} t where ${fields.map((f) => speaks(ofRow(f))).join(' or ')} order by t.id`,
      [...asArguments(mentions), ...fields.map((f) => f.name)],
    )
    for (const row of rows) found.push(...row.fields.map((field) => ({ table: table.name, record: row.id, field })))
  }
  return found
}

/** What was erased from records: of how many fields, and what could not be, as sentences. */
export interface FieldsErased {
  readonly fields: number
  readonly left: readonly string[]
}

/** Takes an address out of the fields of records that hold it, and out of their past; a table that does not have it so is left, and said. */
export async function eraseFromRecords(db: Queryable, schema: Schema, mentions: Mentions): Promise<FieldsErased> {
  const held = await readHoldings(db, schema, mentions)
  const left: string[] = []
  let fields = 0
  for (const table of tablesOf(schema)) {
    const own = held.filter((h) => h.table === table.name)
    if (own.some((h) => h.field === 'id')) left.push(`${table.label}: the key of a record is the address, or has it. Delete the record.`)
    const inFields = own.filter((h) => h.field !== 'id')
    const why = inFields.length === 0 ? null : await inSavepoint(db, () => eraseFromTable(db, table, inFields, mentions)).then(() => null, reasonOf)
    if (why) left.push(`${table.label}: ${countOf(inFields)} could not be changed: ${why}`)
    else fields += inFields.length
  }
  for (const table of schema.values()) if (table.name !== 'person') await eraseFromPast(db, table.name, mentions)
  return { fields, left }
}

const countOf = (held: readonly Holding[]) => (held.length === 1 ? '1 field that holds it' : `${held.length} fields that hold it`)

const reasonOf = (error: unknown) => faultOf(explained(error))

/** @throws Error where records may not be changed so */
async function eraseFromTable(db: Queryable, table: TableDef, held: readonly Holding[], mentions: Mentions): Promise<void> {
  if (table.attached && !table.attached.mayChange) throw new Error('Rappel may only read this table. Ask its owner.')
  const names = new Set(held.map((h) => h.field))
  const fields = table.fields.filter((f) => names.has(f.name))
  const stuck = fields.find((f) => f.readOnly)
  if (stuck) throw new Error(`${stuck.label} is worked out by the database of its owner.`)
  await touch(
    db,
    `update ${tableName(table.name)} t set ${fields.map((f) => `${quote(f.name)} = case when ${speaks(ofRow(f))} then ${erased(f)} else ${ofRow(f)} end`).join(', ')} where t.id::text = any($4)`,
    [...asArguments(mentions), [...new Set(held.map((h) => String(h.record)))]],
  )
}

/** What a field that holds the address holds once it is erased: nothing where that may be, one of its own where each record has another value. */
function erased(field: FieldDef): string {
  const own = `'erased-' || substr(md5(random()::text), 1, 12) || '@erased.invalid'`
  if (field.unique) return field.required || field.type !== 'email' ? own : 'null'
  if (field.type !== 'email') return without(ofRow(field))
  const rest = without(ofRow(field))
  return field.required ? rest : `case when btrim(${rest}) <> '${ERASED}' then ${rest} end`
}

/** Takes an address out of what is recorded of a table's records: of fields that are gone as well. */
async function eraseFromPast(db: Queryable, table: string, mentions: Mentions): Promise<void> {
  const columns = await many<{ name: string; most: number | null }>(
    db,
    `select s.side || c.stem as name, substring(c.type from '\\((\\d+)\\)$')::int as most
       from rappel.log_column c cross join (values ('a_'), ('b_')) s (side)
      where c.tbl = $1 and c.type ~ '^(text|citext|character|name)' and to_regclass(rappel.log_name($1)::text) is not null order by c.bit, s.side`,
    [table],
  )
  for (const { name, most } of columns) {
    const column = `t.${quote(name)}`
    const emptied = `${without(`${column}::text`)}`
    await touch(
      db,
      `update ${logOf(table)} t set ${quote(name)} = ${most === null ? emptied : `left(${emptied}, ${most})`} where ${speaks(`${column}::text`)}`,
      asArguments(mentions),
    )
  }
  await touch(
    db,
    `update rappel.change_json t set before = ${without('t.before')}, after = ${without('t.after')} where t.tbl = $4 and (${speaks('t.before')} or ${speaks('t.after')})`,
    [...asArguments(mentions), table],
  )
}
