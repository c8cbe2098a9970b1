import pg, { type Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import { knownFigure } from '@/core/figures/groups'
import { must } from '@/core/must'
import { OWN_ROOTS } from '@/core/paths/roots'
import { KEY_WORDS, OWNED_BY_RAPPEL, parseValue } from '@/core/values/parse'
import { type Attachment, FIELD_TYPES, type FieldDef, type FieldType, type Key, MOST_FIELDS, PERSON_TABLE, type Schema, type Stored, type TableDef } from '@/core/values/tables'
import { many, one, type Queryable, quote, touch, transaction } from './database'
import { keptByGeneration } from './generation'
import { Refused } from './problems'

interface TableRow {
  name: string
  label: string
  singular: string
  title_field: string
  owner_field: string | null
  key: string | null
  archived: boolean
  attached: Attachment | null
}

interface FieldRow {
  table_name: string
  name: string
  label: string
  type: FieldType
  choices: string[] | null
  target: string | null
  required: boolean
  default_value: Stored | null
  number_pattern: string | null
  housekeeping: boolean
  is_unique: boolean
  marks: Record<string, string> | null
  read_only: boolean
}

/** Of a table that another program owns: where it is, and what may be done with its records. */
const ATTACHED = `(select json_strip_nulls(json_build_object('schema', a.schema_name, 'table', a.base_name, 'trouble', a.trouble,
    'mayCreate', coalesce(has_table_privilege(a.base, 'insert'), false), 'mayChange', coalesce(has_any_column_privilege(a.base, 'update'), false), 'mayDelete', coalesce(has_table_privilege(a.base, 'delete'), false)))
  from rappel.attached a where a.tbl = name)`

/** What a table's records are told apart by: the type of its column `id`, or the one that its domain is of. */
const KEY = `(select case when coalesce(nullif(t.typbasetype, 0), t.oid) in ('int2'::regtype, 'int4'::regtype, 'int8'::regtype) then 'number' when coalesce(nullif(t.typbasetype, 0), t.oid) = 'uuid'::regtype then 'uuid' else 'text' end
  from pg_attribute a join pg_type t on t.oid = a.atttypid where a.attrelid = to_regclass(format('data.%I', name)) and a.attname = 'id')`

/** Every table with its fields, people included; not kept where another program's table is among them, whose owner may grant and take rights at any time. */
export const readSchema = keptByGeneration(readTables, (schema) => [...schema.values()].every((table) => !table.attached))

async function readTables(db: Queryable): Promise<Schema> {
  const tables = await many<TableRow>(
    db,
    `select name, label, singular, title_field, owner_field, archived_at is not null as archived, ${KEY} as key, ${ATTACHED} as attached from rappel.table_def order by position`,
  )
  const fields = await many<FieldRow>(
    db,
    `select d.*, coalesce(f.is_read_only, false) as read_only from rappel.field_def d left join rappel.attached_field f on f.tbl = d.table_name and f.field = d.name order by d.table_name, d.position`,
  )
  const figures = await many<{ tbl: string; definition: Figure }>(db, 'select tbl, definition from rappel.figure order by name')
  const keys = new Map(tables.map((t): [string, Pick<TableDef, 'key'>] => [t.name, t.key === 'uuid' || t.key === 'text' ? { key: t.key } : {}]))
  const fieldsOf = new Map<string, FieldRow[]>()
  for (const field of fields) {
    const list = fieldsOf.get(field.table_name)
    if (list) list.push(field)
    else fieldsOf.set(field.table_name, [field])
  }
  const schema = new Map<string, TableDef>([['person', PERSON_TABLE]])
  for (const t of tables) {
    schema.set(t.name, {
      name: t.name,
      label: t.label,
      singular: t.singular,
      titleField: t.title_field,
      ...(t.owner_field ? { ownerField: t.owner_field } : {}),
      ...keys.get(t.name),
      ...(t.archived ? { archived: true } : {}),
      ...(t.attached ? { attached: t.attached } : {}),
      fields: (fieldsOf.get(t.name) ?? []).map((f) => ({ ...fieldFromRow(f), ...(f.type === 'link' ? keys.get(f.target ?? '') : {}) })),
    })
  }
  return figures.length === 0 ? schema : withFigures(schema, figures)
}

/** The tables with the figures that are worked out over their records. */
export function withFigures(schema: Schema, figures: readonly { tbl: string; definition: Figure }[]): Schema {
  const all = new Map(figures.map(({ definition }) => [definition.name, definition]))
  return new Map(
    [...schema].map(([name, table]) => {
      const own = figures.filter((f) => f.tbl === name).map(({ definition }) => knownFigure(definition, schema, all))
      return [name, own.length || table.figures ? { ...table, figures: own } : table]
    }),
  )
}

function fieldFromRow(row: FieldRow): FieldDef {
  return {
    name: row.name,
    label: row.label,
    type: row.type,
    ...(row.choices ? { choices: row.choices } : {}),
    ...(row.target ? { table: row.target } : {}),
    ...(row.required ? { required: true } : {}),
    ...(row.default_value !== null ? { default: row.default_value } : {}),
    ...(row.number_pattern ? { number: row.number_pattern } : {}),
    ...(row.housekeeping ? { housekeeping: true } : {}),
    ...(row.is_unique ? { unique: true } : {}),
    ...(row.marks ? { marks: row.marks } : {}),
    ...(row.read_only ? { readOnly: true } : {}),
  }
}

/** The column type of each field type. */
export const COLUMN_TYPES: Record<FieldType, string> = {
  text: 'text',
  'long text': 'text',
  choice: 'text',
  email: 'text',
  phone: 'text',
  number: 'numeric',
  money: 'numeric',
  'yes/no': 'boolean',
  date: 'date',
  'date-time': 'timestamptz(3)',
  person: 'bigint',
  link: 'bigint',
  file: 'bigint',
  folder: 'text',
}

/** Most letters of a table's name: what captures its changes is called after it, and PostgreSQL cuts names after 63 bytes, so that longer ones could be taken for one another. */
const LONGEST_TABLE = 55

const NAME = /^[a-z][a-z0-9_]{0,58}$/
/** Columns that every table has besides its own (PostgreSQL 15, 5.5 "System Columns"). */
const OF_THE_DATABASE: ReadonlySet<string> = new Set(['tableoid', 'xmin', 'cmin', 'xmax', 'cmax', 'ctid'])

/** Names that a table's pages or calls could not be found by, for others stand there. */
const ADDRESSES_TAKEN = ['attach', 'attachable', 'propose']

const PATTERN = /^([^{}]{0,20})\{(0{1,12})\}([^{}]{0,20})$/

type Problem = { code: string; path: string; message: string }

/** Checks a table's definition against the others; every problem, with its place. A field gets another kind of type only where that `mayRetype`. */
export function checkTable(table: TableDef, schema: Schema, { mayRetype = false } = {}): Problem[] {
  const problems: Problem[] = []
  const say = (path: string, message: string) => problems.push({ code: 'invalid definition', path, message })
  const isTooLong = table.name.length > LONGEST_TABLE && !schema.has(table.name)
  if (ADDRESSES_TAKEN.includes(table.name) && !schema.has(table.name))
    say('/name', `A table cannot be called ${table.name}, for something else stands at that address. Choose another name.`)
  if (!NAME.test(table.name) || isTooLong || table.name === 'person')
    say('/name', `A table’s name is snake_case: small letters, digits and _, at most ${LONGEST_TABLE}, starting with a letter.`)
  const isNew = schema.get(table.name)?.singular !== table.singular // names that came to be Rappel's own later may stay where they were
  if (!NAME.test(table.singular) || (isNew && (OWN_ROOTS.includes(table.singular) || OWNED_BY_RAPPEL.includes(table.singular))))
    say('/singular', 'The singular is snake_case and none of the names Rappel uses itself; placeholders start with it.')
  if (!table.label?.trim()) say('/label', 'The table needs a label.')
  if (!table.fields.some((f) => f.name === table.titleField)) say('/titleField', `The title field ${JSON.stringify(table.titleField)} is not among the fields.`)
  if (table.fields.length > MOST_FIELDS)
    say('/fields', `The table has ${table.fields.length.toLocaleString('en-GB')} fields; ${MOST_FIELDS} are the most. Put some into another table that links to it.`)
  const owner = table.ownerField ? table.fields.find((f) => f.name === table.ownerField) : undefined
  if (table.ownerField && owner?.type !== 'person') say('/ownerField', 'The owner field must be a person field of the table.')
  const seen = new Set<string>()
  table.fields.forEach((field, i) => {
    const path = `/fields/${i}`
    if (!NAME.test(field.name) || OWNED_BY_RAPPEL.includes(field.name)) say(`${path}/name`, 'A field’s name is snake_case and not id, created_at or updated_at.')
    if (OF_THE_DATABASE.has(field.name)) say(`${path}/name`, `${field.name} is what PostgreSQL calls a column of its own in every table. Give the field another name.`)
    if (seen.has(field.name)) say(`${path}/name`, `The field ${field.name} is there twice.`)
    seen.add(field.name)
    if (!FIELD_TYPES.includes(field.type)) return say(`${path}/type`, `A field’s type is one of ${FIELD_TYPES.join(', ')}.`)
    if (!field.label?.trim()) say(`${path}/label`, 'The field needs a label.')
    if (field.type === 'choice' && !field.choices?.length) say(`${path}/choices`, 'A choice field needs its choices.')
    if (field.type === 'link' && field.table !== table.name && !schema.has(field.table ?? ''))
      say(`${path}/table`, `There is no table ${JSON.stringify(field.table)} to link to. Create it first.`)
    if (field.number && (field.type !== 'text' || !PATTERN.test(field.number))) say(`${path}/number`, 'An automatic number is a text field with a pattern such as CL-{0000}.')
    if (field.default !== undefined && field.default !== null) {
      const parsed = parseValue(field, field.default, `${path}/default`)
      if ('problem' in parsed) problems.push(parsed.problem)
    }
    const old = schema.get(table.name)?.fields.find((f) => f.name === field.name)
    if (old && !mayRetype && COLUMN_TYPES[old.type] !== COLUMN_TYPES[field.type])
      say(`${path}/type`, `${field.name} holds ${old.type} values; they become ${field.type} by retype-field, which converts them.`)
  })
  const known = schema.get(table.name)
  if (known && table.key && table.key !== known.key)
    say('/key', `The records of ${table.name} have ids already, each ${KEY_WORDS[known.key ?? 'number']}. Leave key out, or make another table.`)
  return problems
}

/** Holds off whoever else would change what tables there are, until the transaction is over. */
export const lockTables = (db: Queryable) => db.query(`select pg_advisory_xact_lock(hashtext('rappel.tables'))`)

/**
 * Creates a table, or adds and changes fields of one; fields not named stay as they are. Its changes are captured from then on.
 * @throws Refused with every problem of the definition
 */
export async function putTable(pool: Pool, table: TableDef): Promise<void> {
  await transaction(pool, (db) => putTableIn(db, table))
}

/** The same within a transaction. */
export async function putTableIn(db: Queryable, table: TableDef): Promise<void> {
  await lockTables(db)
  const schema = await readSchema(db)
  const kept = schema.get(table.name)?.fields.filter((f) => !table.fields.some((given) => given.name === f.name)) ?? []
  const problems = checkTable({ ...table, fields: [...table.fields, ...kept] }, schema)
  if (problems.length) throw new Refused('invalid', `The definition of ${table.name} has ${problems.length === 1 ? 'a problem' : 'problems'}.`, problems)
  const old = schema.get(table.name)
  if (old?.attached) requireItsFields(table, old)
  await putTableDef(db, table)
  if (!old) await createTable(db, table)
  const isEmpty = !(await many(db, `select 1 from data.${quote(table.name)} limit 1`)).length
  const first = old?.fields.length ?? 0
  const keyOf = (name: string | undefined) => (name === table.name ? (old ?? table).key : schema.get(name ?? '')?.key)
  const fields = table.fields.map((field) => ({ ...field, key: keyOf(field.table) }))
  const added = fields.filter((field) => !old?.fields.some((f) => f.name === field.name))
  if (added.length) await addColumns(db, table.name, added, isEmpty)
  for (const [i, field] of fields.entries()) await putFieldDef(db, table.name, field, first + i, added.includes(field))
  await db.query('select rappel.attach_capture($1)', [table.name])
  await db.query('select rappel.next_generation()')
}

/** Writes down what a table is, but for its fields. */
export async function putTableDef(db: Queryable, table: TableDef): Promise<void> {
  await touch(
    db,
    `insert into rappel.table_def (name, label, singular, title_field, owner_field, archived_at) values ($1, $2, $3, $4, $5, case when $6 then now() end)
     on conflict (name) do update set label = $2, singular = $3, title_field = $4, owner_field = $5, archived_at = case when $6 then coalesce(table_def.archived_at, now()) end`,
    [table.name, table.label, table.singular, table.titleField, table.ownerField ?? null, table.archived ?? false],
  )
}

/** Refuses fields that the table of another program has no columns for. @throws Refused */
function requireItsFields({ fields, label }: TableDef, old: TableDef): void {
  const added = fields.find((f) => !old.fields.some((known) => known.name === f.name))
  if (added)
    throw new Refused('conflict', `${label} belongs to another program, which alone gives it columns; it has none for ${added.label}. A column that it adds is a field by itself.`)
}

const KEY_COLUMNS: Record<Key, string> = {
  number: 'bigint generated by default as identity primary key',
  uuid: 'uuid primary key default gen_random_uuid()',
  text: `text primary key default gen_random_uuid()::text check (btrim(id) not in ('', 'new'))`,
}

async function createTable(db: Queryable, { name, key }: TableDef): Promise<void> {
  const target = `data.${quote(name)}`
  await db.query(
    `create table ${target} (
       id ${KEY_COLUMNS[key ?? 'number']},
       created_at timestamptz(3) not null default coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, now()),
       updated_at timestamptz(3) not null default coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, now()))`,
  )
  await db.query(`create trigger rappel_touch before update on ${target} for each row when (old.* *<> new.*) execute function rappel.touch_updated_at()`)
}

/** Writes down what a field is, with its column's default and whether its values are unique. A new one gets a position; of a new column, what it has not is not taken from it. */
export async function putFieldDef(db: Queryable, table: string, field: FieldDef, position = 0, isNewColumn = false): Promise<void> {
  await touch(
    db,
    `insert into rappel.field_def (table_name, name, label, type, choices, target, required, default_value, number_pattern, housekeeping, is_unique, marks, position)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
     on conflict (table_name, name) do update set label = $3, type = $4, choices = $5, target = $6, required = $7, default_value = $8, number_pattern = $9, housekeeping = $10, is_unique = $11, marks = $12`,
    [
      table,
      field.name,
      field.label,
      field.type,
      field.choices ?? null,
      field.type === 'link' ? field.table : null,
      field.required ?? false,
      field.default === undefined || field.default === null ? null : JSON.stringify(field.default),
      field.number ?? null,
      field.housekeeping ?? false,
      field.unique ?? false,
      field.marks ? JSON.stringify(field.marks) : null,
      position,
    ],
  )
  const isPlain = !field.number && (field.default === undefined || field.default === null) && !field.unique
  if (isNewColumn && isPlain) return
  if (await isAttached(db, table)) return
  await setColumnDefault(db, table, field)
  await setUnique(db, table, field)
}

/** Whether another program owns a table. */
export const isAttached = async (db: Queryable, table: string): Promise<boolean> => (await many(db, 'select from rappel.attached where tbl = $1', [table])).length > 0

async function addColumns(db: Queryable, table: string, fields: readonly FieldDef[], isEmpty: boolean): Promise<void> {
  const target = `data.${quote(table)}`
  await db.query(`alter table ${target} ${fields.map((field) => columnOf(field, isEmpty)).join(', ')}`)
  for (const field of fields) if (referenceOf(field)) await db.query(`create index on ${target} (${quote(field.name)})`)
}

function columnOf(field: FieldDef, isEmpty: boolean): string {
  const notNull = field.required && isEmpty
  const reference = referenceOf(field)
  const onDelete = notNull ? 'restrict' : 'set null'
  return `add column ${quote(field.name)} ${field.key ?? COLUMN_TYPES[field.type]}${notNull ? ' not null' : ''}${reference ? ` references ${reference} (id) on delete ${onDelete}` : ''}`
}

/** The table that a field's values point at, quoted; undefined where they point at none. */
export const referenceOf = (field: FieldDef): string | undefined => REFERENCES[field.type]?.(field)

const REFERENCES: Partial<Record<FieldType, (field: FieldDef) => string>> = {
  person: () => 'rappel.person',
  file: () => 'rappel.file',
  link: (field) => `data.${quote(must(field.table))}`,
}

/** The sequence that counts a field's automatic numbers, quoted: the one that its column owns, whatever the field was called when it was made, else a new one. */
async function sequenceOf(db: Queryable, table: string, field: string): Promise<string> {
  const column = `data.${quote(table)}.${quote(field)}`
  const { known } = await one<{ known: string | null }>(db, 'select pg_get_serial_sequence($1, $2) as known', [`data.${quote(table)}`, field])
  if (known) return known
  const taken = new Set((await many<{ name: string }>(db, `select relname as name from pg_class where relnamespace = 'data'::regnamespace and relkind = 'S'`)).map((s) => s.name))
  let name = `${table}_${field}`.slice(0, 50)
  for (let n = 2; taken.has(`${name}_number`); n++) name = `${`${table}_${field}`.slice(0, 46)}_${n}`
  const sequence = `data.${quote(`${name}_number`)}`
  await db.query(`create sequence ${sequence} owned by ${column}`)
  return sequence
}

async function setColumnDefault(db: Queryable, table: string, field: FieldDef): Promise<void> {
  const column = `alter table data.${quote(table)} alter column ${quote(field.name)}`
  const pattern = PATTERN.exec(field.number ?? '')
  if (pattern) {
    const [, prefix = '', zeros = '', suffix = ''] = pattern
    const sequence = await sequenceOf(db, table, field.name)
    const [p, s] = [pg.escapeLiteral(prefix), pg.escapeLiteral(suffix)]
    await db.query(`${column} set default rappel.pattern_number(${p}, ${zeros.length}, ${s}, nextval('${sequence.replaceAll("'", "''")}'))`)
  } else if (field.default !== undefined && field.default !== null) {
    await db.query(`${column} set default ${pg.escapeLiteral(String(field.default))}`)
  } else {
    await db.query(`${column} drop default`)
  }
}

/** Sees to it that no two records have the same value of a field that is to be unique; the case and the white space around texts do not tell them apart. @throws Refused where some have it already */
export async function setUnique(db: Queryable, table: string, { name, label, type, unique }: FieldDef): Promise<void> {
  const { place } = await one<{ place: string }>(db, `select attrelid::oid || '_' || attnum as place from pg_attribute where attrelid = $1::regclass and attname = $2`, [
    `data.${quote(table)}`,
    name,
  ])
  const index = `${table.slice(0, 30)}_${place}_unique` // by numbers, so that it goes along with other names, and no other table has it
  const exists = (await many(db, `select from pg_class where relname = $1 and relnamespace = 'data'::regnamespace`, [index])).length > 0
  if (!unique) return void (exists && (await db.query(`drop index data.${quote(index)}`)))
  if (exists) return
  const column = quote(name)
  const compared = COLUMN_TYPES[type] === 'text' ? `(rappel.folded(btrim(${column})))` : column
  const filled = COLUMN_TYPES[type] === 'text' ? `where btrim(${column}) <> ''` : ''
  const twice = await many<{ value: string }>(
    db,
    `select min(${column}::text) as value from data.${quote(table)} where ${column} is not null ${filled.replace('where', 'and')} group by ${compared} having count(*) > 1 limit 3`,
  )
  if (twice.length)
    throw new Refused('conflict', `${label} cannot be unique: several records have ${twice.map((t) => JSON.stringify(t.value)).join(', ')}.`, [
      { code: 'not unique', path: `/fields/${name}`, message: `Several records have ${JSON.stringify(twice[0]?.value)}.` },
    ])
  await db.query(`create unique index ${quote(index)} on data.${quote(table)} (${compared}) ${filled}`)
}

/** How many records a table has. */
export async function readTableSize(db: Queryable, name: string): Promise<number> {
  return (await one<{ count: number }>(db, 'select rappel.count_of($1) as count', [name])).count
}

/** How many records each table has. */
export const readTableSizes = async (db: Queryable): Promise<Map<string, number>> =>
  new Map((await many<{ name: string; count: number }>(db, 'select name, rappel.count_of(name) as count from rappel.table_def')).map(({ name, count }) => [name, count]))
