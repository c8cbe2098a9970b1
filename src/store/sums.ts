import type { Setting } from '@/core/conditions/compile'
import type { Condition } from '@/core/document/condition'
import { fieldOf, type Schema, type Stored, type TableDef, targetOf } from '@/core/values/tables'
import { many, one, type Queryable, quote, tableName } from './database'
import { Refused } from './problems'
import { whereSql } from './records'

/** What a column of all records that are found comes to. */
export interface ColumnSum {
  readonly filled: number
  /** Of numbers and money alone. */
  readonly sum?: number
  readonly average?: number
  readonly minimum?: number
  readonly maximum?: number
}

/** What the columns of all records that a condition finds come to, by field. */
export async function sumRecords(db: Queryable, table: TableDef, setting: Setting, where: Condition | undefined): Promise<Record<string, ColumnSum>> {
  const { text, params } = whereSql(table, setting, where)
  const parts = table.fields.map((field, i) => {
    const column = `t.${quote(field.name)}`
    const isNumber = field.type === 'number' || field.type === 'money'
    const finite = `case when ${column} in ('NaN', 'Infinity', '-Infinity') then null else ${column} end`
    const numbers = isNumber ? `, 'sum', coalesce(sum(${finite}), 0), 'average', avg(${finite}), 'minimum', min(${finite}), 'maximum', max(${finite})` : ''
    return `jsonb_strip_nulls(jsonb_build_object('filled', count(${column})${numbers})) as f${i}`
  })
  if (parts.length === 0) return {}
  const row = await one<Record<string, ColumnSum>>(db, `select ${parts.join(', ')} from ${tableName(table.name)} t where ${text}`, params)
  return Object.fromEntries(table.fields.map((field, i) => [field.name, row[`f${i}`] ?? { filled: 0 }]))
}

/** Records that have the same value of a field. */
export interface RecordGroup {
  readonly value: Stored
  readonly count: number
  /** The title of what the value points at, where it is a link or person. */
  readonly title?: string
}

/** The most groups that are told. */
export const MOST_GROUPS = 500

/** The groups of all records that a condition finds, in the order in which a list sorted by the field has them. @throws Refused where there are too many, or there is no such field */
export async function groupRecords(db: Queryable, table: TableDef, schema: Schema, setting: Setting, where: Condition | undefined, by: string): Promise<RecordGroup[]> {
  const field = fieldOf(table, by)
  if (!field)
    throw new Refused('invalid', `${table.label} has no field ${JSON.stringify(by)} to gather by.`, [{ code: 'unknown field', path: '/group', message: 'No such field.' }])
  const { text, params } = whereSql(table, setting, where)
  const column = `t.${quote(by)}`
  const target = schema.get(targetOf(field) ?? '')
  const title = target ? `(select x.${quote(target.titleField)}::text from ${tableName(target.name)} x where x.id = g.value)` : 'null'
  const rows = await many<{ value: Stored; count: number; title: string | null }>(
    db,
    `select to_jsonb(g.value) as value, g.count, ${title} as title from (select ${column} as value, count(*) as count from ${tableName(table.name)} t where ${text} group by 1 limit ${MOST_GROUPS + 1}) g
      order by ${target ? title : 'g.value'} asc nulls last, g.value`,
    params,
  )
  if (rows.length > MOST_GROUPS)
    throw new Refused('invalid', `${field.label} has more than ${MOST_GROUPS} different values; records are not gathered by it.`, [
      { code: 'too many groups', path: '/group', message: 'Too many different values.' },
    ])
  return rows.map(({ title: said, ...row }) => (said === null ? row : { ...row, title: said }))
}
