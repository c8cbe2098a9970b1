import { linkedSql, type SqlNames } from '@/core/conditions/sql'
import type { CheckedPath } from '@/core/paths/path'
import { type RecordId, type Stored, type TableDef, targetOf, titleOf } from '@/core/values/tables'
import { many, one, type Queryable, quote, tableName } from './database'
import { readRecords } from './records'

const names: SqlNames = { quote, table: tableName }

/** Where the records of a table lie on a value. */
export interface Spread {
  /** `numbers` and `days` lie on a line; `values` are what is chosen, most first. */
  readonly kind: 'numbers' | 'days' | 'values'
  readonly all: number
  readonly blank: number
  /** Values in order with how many records have each; of very many numbers, where a narrow range of them begins. `shown` where a value is a record or a person. */
  readonly values: readonly { readonly value: Stored; readonly count: number; readonly shown?: string }[]
}

/** Most values that are told one by one. */
const MOST_VALUES = 400
const MOST_CHOICES = 30
const RANGES = 200

/** Where the records of a table lie, as they are now, on what a path leads to; null where that is a text or the like, which lies nowhere. */
export async function spreadOf(db: Queryable, table: TableDef, checked: CheckedPath, schema: ReadonlyMap<string, TableDef>): Promise<Spread | null> {
  const { type } = checked.field
  const kind = type === 'number' || type === 'money' ? 'numbers' : type === 'date' || type === 'date-time' ? 'days' : 'values'
  if (kind === 'values' && !['choice', 'yes/no', 'person', 'link'].includes(type)) return null
  const path = linkedSql(checked, 't', names)
  const value = kind === 'numbers' ? `(${path})::float8` : kind === 'days' ? `to_char((${path}), 'YYYY-MM-DD')` : path
  const from = `(select ${value} as v from ${tableName(table.name)} t) x`
  const { all, blank, distinct } = await one<{ all: number; blank: number; distinct: number }>(
    db,
    `select count(*)::int as all, count(*) filter (where v is null)::int as blank, count(distinct v)::int as distinct from ${from}`,
  )
  if (kind === 'values') {
    const found = await many<{ value: Stored; count: number }>(
      db,
      `select v as value, count(*)::int as count from ${from} where v is not null group by 1 order by 2 desc, 1 limit ${MOST_CHOICES}`,
    )
    return { kind, all, blank, values: await withTitles(db, found, schema.get(targetOf(checked.field) ?? '')) }
  }
  const isRanged = kind === 'numbers' && distinct > MOST_VALUES
  const values = await many<{ value: Stored; count: number }>(
    db,
    isRanged
      ? `select min(v) as value, count(*)::int as count
           from ${from}, (select min(v) as low, max(v) as high from ${from.replace(/ x$/, ' y')}) ends
          where v is not null group by width_bucket(v, low, high + 1e-9 * greatest(1, abs(high)), ${RANGES}) order by 1`
      : `select v as value, count(*)::int as count from ${from} where v is not null group by 1 order by 1 limit 5000`,
  )
  return { kind, all, blank, values }
}

async function withTitles(db: Queryable, found: readonly { value: Stored; count: number }[], target: TableDef | undefined): Promise<Spread['values']> {
  if (!target) return found
  const ids = found.flatMap(({ value }): RecordId[] => (typeof value === 'number' || typeof value === 'string' ? [value] : []))
  const records = await readRecords(db, target.name, ids)
  return found.map((one) => {
    const record = records.get(String(one.value))
    return { ...one, shown: record ? titleOf(target, record) : String(one.value) }
  })
}
