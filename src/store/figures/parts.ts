import type { TableFigure } from '@/core/document/figure'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson, figureRowSql } from '@/core/figures/sql'
import { must } from '@/core/must'
import { quote, tableName } from '../database'

/** SQL of what a figure is put together from as its table stands: rows `grp, day, val, n, total`. */
export function partsSql(figure: TableFigure, setting: FigureSetting, bind: (value: unknown, type: string) => string): string {
  const table = must(setting.schema.get(figure.table))
  const { counts, group, day, value, amount } = figureRowSql(figure, table, setting, { quote, table: tableName }, 't', bind)
  return `select ${asJson('grp')} as grp, day, ${asJson('val')} as val, n, total from (
    select grp, day, val, count(*) as n, coalesce(sum(amount), 0) as total
      from (select ${group} as grp, ${day} as day, ${value} as val, ${amount} as amount from ${tableName(table.name)} t where ${counts}) r group by grp, day, val) p`
}
