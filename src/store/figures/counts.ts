import type { TableFigure } from '@/core/document/figure'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson, figureRowSql } from '@/core/figures/sql'
import type { Days } from '@/core/figures/window'
import { must } from '@/core/must'
import type { RecordId } from '@/core/values/tables'
import { maybeOne, type Queryable, quote, tableName } from '../database'
import { keyType } from '../keys'

/** The group (JSON) in which a record counts in a figure as it stands, over the days of a window; null where it does not count. */
export async function groupOfRecord(db: Queryable, figure: TableFigure, setting: FigureSetting, record: RecordId, days: Days | null): Promise<string | null> {
  const table = must(setting.schema.get(figure.table))
  const params: unknown[] = [record]
  const bind = (value: unknown, type: string) => `$${params.push(value)}::${type}`
  const { counts, group, day } = figureRowSql(figure, table, setting, { quote, table: tableName }, 't', bind)
  const inside = days ? ` and ${day} between ${bind(days.from, 'date')} and ${bind(days.to, 'date')}` : ''
  const row = await maybeOne<{ grp: string }>(
    db,
    `select ${asJson(group)}::text as grp from ${tableName(table.name)} t where t.id = $1::${keyType(table)} and ${counts}${inside}`,
    params,
  )
  return row?.grp ?? null
}
