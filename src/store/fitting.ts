import type { Setting } from '@/core/conditions/compile'
import { conditionSql } from '@/core/conditions/sql'
import type { Condition } from '@/core/document/condition'
import type { Image, RecordId, TableDef } from '@/core/values/tables'
import { many, one, type Queryable, quote, tableName } from './database'

/** Records of a table that a condition lets through as they stand, judged at a moment. The condition has a reading in SQL. */
export interface FittingQuery {
  readonly table: TableDef
  readonly setting: Setting
  readonly where: Condition | undefined
  readonly at: Date
}

function whereSql({ table, setting, where, at }: FittingQuery, first: number) {
  return where ? conditionSql(where, table, setting, { quote, table: tableName }, 't', at, first) : { text: 'true', params: [] }
}

/** A page of them in order of id, after one. */
export async function fittingPage(db: Queryable, query: FittingQuery, after: RecordId | null, limit: number): Promise<Image[]> {
  const sql = whereSql(query, 2)
  const rows = await many<{ image: Image }>(
    db,
    `select to_jsonb(t.*) as image from ${tableName(query.table.name)} t where (t.id > $1 or $1 is null) and ${sql.text} order by t.id limit $2`,
    [after, limit, ...sql.params],
  )
  return rows.map((r) => r.image)
}

/** The newest of them. */
export async function newestRecords(db: Queryable, query: FittingQuery, limit: number): Promise<Image[]> {
  const sql = whereSql(query, 1)
  const rows = await many<{ image: Image }>(db, `select to_jsonb(t.*) as image from ${tableName(query.table.name)} t where ${sql.text} order by t.id desc limit $1`, [
    limit,
    ...sql.params,
  ])
  return rows.map((r) => r.image)
}

/** How many there are. */
export async function countFitting(db: Queryable, query: FittingQuery): Promise<number> {
  const sql = whereSql(query, 0)
  return (await one<{ count: number }>(db, `select count(*) as count from ${tableName(query.table.name)} t where ${sql.text}`, [...sql.params])).count
}

/** Owners who have any, in order of their ids, after one. */
export async function fittingOwners(db: Queryable, query: FittingQuery, after: RecordId | null, limit: number): Promise<number[]> {
  const sql = whereSql(query, 2)
  const owner = `t.${quote(query.table.ownerField ?? 'id')}`
  const rows = await many<{ owner: number }>(
    db,
    `select distinct ${owner} as owner from ${tableName(query.table.name)} t where (${owner} > $1 or $1 is null and ${owner} is not null) and ${sql.text} order by 1 limit $2`,
    [after, limit, ...sql.params],
  )
  return rows.map((r) => Number(r.owner))
}

/** How many have no owner. */
export async function countOwnerless(db: Queryable, query: FittingQuery): Promise<number> {
  const sql = whereSql(query, 0)
  const { count } = await one<{ count: number }>(
    db,
    `select count(*) as count from ${tableName(query.table.name)} t where t.${quote(query.table.ownerField ?? 'id')} is null and ${sql.text}`,
    [...sql.params],
  )
  return count
}

/** The newest record of a table; none where it has none. */
export async function newestOf(db: Queryable, table: Pick<TableDef, 'name'>): Promise<Image[]> {
  return (await many<{ image: Image }>(db, `select to_jsonb(t.*) as image from ${tableName(table.name)} t order by t.id desc limit 1`)).map((r) => r.image)
}
