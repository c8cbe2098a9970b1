import type { FieldDef, TableDef } from '@/core/values/tables'
import { many, type Queryable, quote, tableName } from './database'

/** Most folders that are read. */
const MOST_FOLDERS = 20_000

/** The folders that records of a table lie in, and how many in each. */
export async function readFolders(db: Queryable, table: TableDef, field: FieldDef): Promise<[path: string, count: number][]> {
  const column = quote(field.name)
  const rows = await many<{ path: string; count: number }>(
    db,
    `select ${column} as path, count(*) as count from ${tableName(table.name)} where ${column} is not null group by 1 order by 1 limit ${MOST_FOLDERS}`,
  )
  return rows.map(({ path, count }) => [path, count])
}
