import type { Pool } from 'pg'
import type { Setting } from '@/core/conditions/compile'
import { conditionSql, NotFilterable, type SqlNames } from '@/core/conditions/sql'
import type { Condition } from '@/core/document/condition'
import { must } from '@/core/must'
import { fieldOf, type Image, idFrom, type RecordId, type TableDef, targetOf, titleOf } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, quote, tableName, touch, transaction } from './database'
import { readFileInfos } from './files'
import { explained, Refused } from './problems'
import { actAs, type Writer } from './who'

const names: SqlNames = { quote, table: tableName }

/** What records are listed by. */
export interface ListQuery {
  readonly where?: Condition
  /** Field names with commas between, `-` before one for descending. */
  readonly order?: string
  readonly limit: number
  readonly offset?: number
  /** Records are to come in order of their ids, after one; null: from the first on. */
  readonly after?: RecordId | null
}

/** What finds the records of a condition, for a table known as t. @throws Refused where it cannot be asked of a table */
export function whereSql(table: TableDef, setting: Setting, where: Condition | undefined): { text: string; params: unknown[] } {
  if (!where) return { text: 'true', params: [] }
  try {
    const { text, params } = conditionSql(where, table, setting, names, 't', new Date())
    return { text, params: [...params] }
  } catch (error) {
    if (error instanceof NotFilterable) throw new Refused('invalid', error.message, [{ code: 'not filterable', path: '/where', message: error.message }])
    throw error
  }
}

function orderSql(table: TableDef, schema: Setting['schema'], order: string | undefined): string {
  if (!order) return 't.id desc'
  const keys = order.split(',').map((part) => {
    const descending = part.startsWith('-')
    const name = descending ? part.slice(1) : part
    const field = fieldOf(table, name)
    if (!field)
      throw new Refused('invalid', `${table.label} has no field ${JSON.stringify(name)} to sort by.`, [{ code: 'unknown field', path: '/order', message: 'No such field.' }])
    const target = schema.get(targetOf(field) ?? '')
    const column = `t.${quote(field.name)}`
    const shown = target ? `(select x.${quote(target.titleField)} from ${tableName(target.name)} x where x.id = ${column})` : column
    const way = descending ? 'desc nulls last' : 'asc nulls last'
    // records that point at two of the same title stand apart
    return { descending, sql: field.name === 'id' ? column : `${shown} ${way}${target ? `, ${column} ${way}` : ''}`, isId: field.name === 'id' }
  })
  const [first] = keys
  if (keys.length === 1 && first?.isId) return `t.id ${first.descending ? 'desc' : 'asc'}`
  return [...keys.map((key) => (key.isId ? `${key.sql} ${key.descending ? 'desc' : 'asc'}` : key.sql)), `t.id ${first?.descending ? 'desc' : 'asc'}`].join(', ')
}

/** What lists all records that a condition finds, in order. @throws Refused */
export function listSql(table: TableDef, setting: Setting, { where, order }: Pick<ListQuery, 'where' | 'order'>): { text: string; params: unknown[] } {
  const { text, params } = whereSql(table, setting, where)
  return { text: `select to_jsonb(t.*) as image from ${tableName(table.name)} t where ${text} order by ${orderSql(table, setting.schema, order)}`, params }
}

/** Records of a table in order, a page of them. */
export async function listRecords(db: Queryable, table: TableDef, setting: Setting, query: ListQuery): Promise<Image[]> {
  const where = whereSql(table, setting, query.where)
  const { after = null } = query
  // which records they are is found first, so that those that are skipped are not read whole
  const ids = `select t.id from ${tableName(table.name)} t where ${where.text}${after === null ? '' : ` and t.id > $${where.params.length + 3}`}
      order by ${query.after === undefined ? orderSql(table, setting.schema, query.order) : 't.id'} limit $${where.params.length + 1} offset $${where.params.length + 2}`
  const rows = await many<{ image: Image }>(
    db,
    `select to_jsonb(t.*) as image from unnest(array(${ids})) with ordinality as p (id, place) join ${tableName(table.name)} t on t.id = p.id order by p.place`,
    [...where.params, query.limit, query.offset ?? 0, ...(after === null ? [] : [after])],
  )
  return rows.map((r) => r.image)
}

/** Which records a condition finds, in order. @throws Refused */
export async function idsInOrder(db: Queryable, table: TableDef, setting: Setting, { where, order }: Pick<ListQuery, 'where' | 'order'>): Promise<RecordId[]> {
  const { text, params } = whereSql(table, setting, where)
  const rows = await many<{ ids: RecordId[] | null }>(
    db,
    `select json_agg(x.id order by x.place) as ids from (select t.id, row_number() over (order by ${orderSql(table, setting.schema, order)}) as place from ${tableName(table.name)} t where ${text}) x`,
    params,
  )
  return rows[0]?.ids ?? []
}

/** Records of a table by their ids, in the ids' order; those that are gone are left out. */
export async function recordsOf(db: Queryable, table: Pick<TableDef, 'name'>, ids: readonly RecordId[]): Promise<Image[]> {
  const found = await readRecords(db, table.name, ids)
  return ids.map((id) => found.get(String(id))).filter((record) => record !== undefined)
}

/** How many records of a table meet a condition. */
export async function countRecords(db: Queryable, table: TableDef, setting: Setting, where: Condition | undefined): Promise<number> {
  const sql = whereSql(table, setting, where)
  return (await one<{ count: number }>(db, `select count(*) as count from ${tableName(table.name)} t where ${sql.text}`, sql.params)).count
}

/** One record, or null. */
export async function readRecord(db: Queryable, table: Pick<TableDef, 'name'>, id: RecordId): Promise<Image | null> {
  return (await maybeOne<{ image: Image }>(db, `select to_jsonb(t.*) as image from ${tableName(table.name)} t where id = $1`, [id]))?.image ?? null
}

/** Several records of a table, by the text of their ids. */
export async function readRecords(db: Queryable, table: string, ids: readonly RecordId[]): Promise<Map<string, Image>> {
  const rows = await many<{ id: RecordId; image: Image }>(db, `select id, to_jsonb(t.*) as image from ${tableName(table)} t where id = any($1)`, [ids])
  return new Map(rows.map((r) => [String(r.id), r.image]))
}

/** The records and people that some records' links point at, read once a table: by table and the text of the id. */
export async function readLinked(db: Queryable, table: TableDef, records: readonly Image[]): Promise<Map<string, Map<string, Image>>> {
  const wanted = new Map<string, Set<RecordId>>()
  for (const field of table.fields) {
    const target = targetOf(field)
    if (!target) continue
    const ids = wanted.get(target) ?? new Set()
    for (const record of records) {
      const id = idFrom(record[field.name])
      if (id !== null) ids.add(id)
    }
    wanted.set(target, ids)
  }
  const linked = new Map<string, Map<string, Image>>()
  for (const [target, ids] of wanted) linked.set(target, await readRecords(db, target, [...ids]))
  return linked
}

/** The titles of the records and people that some records' links point at, and the names of their files: `table id` or `file id` to title. */
export async function readTitles(db: Queryable, schema: Setting['schema'], table: TableDef, records: readonly Image[]): Promise<Map<string, string>> {
  const titles = new Map<string, string>()
  for (const [target, images] of await readLinked(db, table, records)) {
    const def = must(schema.get(target))
    for (const [id, image] of images) titles.set(`${target} ${id}`, titleOf(def, image))
  }
  const files = table.fields.filter((f) => f.type === 'file').flatMap((f) => records.flatMap((record) => (record[f.name] ? [Number(record[f.name])] : [])))
  if (files.length) for (const [id, { name }] of await readFileInfos(db, files)) titles.set(`file ${id}`, name)
  return titles
}

/** Creates a record. @throws Refused when the database's rules forbid it */
export async function createRecord(db: Queryable, table: Pick<TableDef, 'name'>, image: Image): Promise<Image> {
  const fields = Object.keys(image)
  const columns = fields.map(quote).join(', ')
  const values = fields.map((_, i) => `$${i + 1}`).join(', ')
  const target = tableName(table.name)
  const text = fields.length
    ? `insert into ${target} as t (${columns}) values (${values}) returning to_jsonb(t.*) as image`
    : `insert into ${target} as t default values returning to_jsonb(t.*) as image`
  return (
    await refusing(() =>
      one<{ image: Image }>(
        db,
        text,
        fields.map((f) => image[f]),
      ),
    )
  ).image
}

/** One record as it stands until the transaction ends, or null. */
export async function lockRecord(db: Queryable, table: Pick<TableDef, 'name' | 'attached'>, id: RecordId): Promise<Image | null> {
  if (table.attached) await db.query('select rappel.lock_attached($1, $2)', [table.name, String(id)])
  return (await maybeOne<{ image: Image }>(db, `select to_jsonb(t.*) as image from ${tableName(table.name)} t where id = $1 for update`, [id]))?.image ?? null
}

/** Changes fields of a record; null where it does not exist. @throws Refused when the database's rules forbid it */
export async function updateRecord(db: Queryable, table: Pick<TableDef, 'name'>, id: RecordId, image: Image): Promise<Image | null> {
  const fields = Object.keys(image)
  if (fields.length === 0) return readRecord(db, table, id)
  const sets = fields.map((f, i) => `${quote(f)} = $${i + 2}`).join(', ')
  const text = `update ${tableName(table.name)} as t set ${sets} where id = $1 returning to_jsonb(t.*) as image`
  return (await refusing(() => maybeOne<{ image: Image }>(db, text, [id, ...fields.map((f) => image[f])])))?.image ?? null
}

/** Deletes a record; whether there was one. @throws Refused when required links still point at it */
export async function deleteRecord(db: Queryable, table: TableDef, id: RecordId): Promise<boolean> {
  return (await refusing(() => touch(db, `delete from ${tableName(table.name)} where id = $1`, [id]))) === 1
}

/** Which records are meant: by their ids, or all that a condition finds. */
export type Which = { readonly ids: readonly RecordId[] } | { readonly where: Condition }

const whichSql = (table: TableDef, setting: Setting | null, which: Which): { text: string; params: unknown[] } =>
  'ids' in which ? { text: 't.id = any($1)', params: [which.ids] } : whereSql(table, must(setting), which.where)

/** How many records are meant. */
export async function countWhich(db: Queryable, table: TableDef, setting: Setting, which: Which): Promise<number> {
  const where = whichSql(table, setting, which)
  return (await one<{ count: number }>(db, `select count(*) as count from ${tableName(table.name)} t where ${where.text}`, where.params)).count
}

/** What a record that an edit changes is told by, its values being parameters after others. */
function editedSql(image: Image, before: number): { sets: string; differs: string; params: unknown[] } {
  const fields = Object.keys(image)
  const value = (i: number) => `$${before + i + 1}`
  return {
    sets: fields.map((f, i) => `${quote(f)} = ${value(i)}`).join(', '),
    differs: fields.map((f, i) => `t.${quote(f)} is distinct from ${value(i)}`).join(' or '),
    params: fields.map((f) => image[f]),
  }
}

/** In how many records an edit would change anything. */
export async function countEdited(db: Queryable, table: TableDef, setting: Setting, which: Which, image: Image): Promise<number> {
  const where = whichSql(table, setting, which)
  const { differs, params } = editedSql(image, where.params.length)
  return (await one<{ count: number }>(db, `select count(*) as count from ${tableName(table.name)} t where (${where.text}) and (${differs})`, [...where.params, ...params])).count
}

/** The ids of the records that are meant, at most so many; with an image, of those that it changes. */
export async function idsOf(db: Queryable, table: TableDef, setting: Setting, which: Which, image: Image | null, most: number): Promise<RecordId[]> {
  const where = whichSql(table, setting, which)
  const { differs, params } = image ? editedSql(image, where.params.length) : { differs: 'true', params: [] }
  const rows = await many<{ id: RecordId }>(db, `select t.id from ${tableName(table.name)} t where (${where.text}) and (${differs}) order by t.id limit ${most}`, [
    ...where.params,
    ...params,
  ])
  return rows.map((r) => r.id)
}

/** Changes fields of many records; in how many anything changed. Without `setting` they are meant by their ids. @throws Refused when the database's rules forbid it */
export async function editRecords(db: Queryable, table: TableDef, setting: Setting | null, which: Which, image: Image): Promise<number> {
  const where = whichSql(table, setting, which)
  const { sets, differs, params } = editedSql(image, where.params.length)
  const text = `update ${tableName(table.name)} as t set ${sets} where (${where.text}) and (${differs})`
  return refusing(() => touch(db, text, [...where.params, ...params]))
}

/** Deletes many records; how many. @throws Refused when required links still point at one */
export async function deleteRecords(db: Queryable, table: TableDef, setting: Setting, which: Which): Promise<number> {
  const where = whichSql(table, setting, which)
  return refusing(() => touch(db, `delete from ${tableName(table.name)} t where ${where.text}`, where.params))
}

/** The tables with a link to this one, and how many of their records point at the record. */
export async function relatedLists(db: Queryable, schema: Setting['schema'], table: TableDef, id: RecordId, limit: number) {
  const lists: { table: TableDef; field: string; label: string; count: number; records: Image[] }[] = []
  for (const other of schema.values()) {
    for (const field of other.fields) {
      if (targetOf(field) !== table.name || other.name === 'person') continue
      const target = tableName(other.name)
      const { count } = await one<{ count: number }>(db, `select count(*) as count from ${target} where ${quote(field.name)} = $1`, [id])
      const rows = await many<{ image: Image }>(db, `select to_jsonb(t.*) as image from ${target} t where ${quote(field.name)} = $1 order by id desc limit $2`, [id, limit])
      lists.push({ table: other, field: field.name, label: field.label, count, records: rows.map((r) => r.image) })
    }
  }
  return lists
}

/** Runs a write in a transaction of its own, in somebody's name. */
export function writing<T>(pool: Pool, writer: Writer, work: (db: Queryable) => Promise<T>): Promise<T> {
  return transaction(pool, async (db) => {
    await actAs(db, writer)
    return work(db)
  })
}

async function refusing<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    throw explained(error)
  }
}

/** Moves a table's ids on past those that were given by hand, and past one that will be. */
export async function advanceIds(db: Queryable, table: string, past = 0): Promise<void> {
  const target = tableName(table)
  await db.query(`select setval(pg_get_serial_sequence($1, 'id'), greatest((select max(id) from ${target}), $2, 1))`, [target, past])
}
