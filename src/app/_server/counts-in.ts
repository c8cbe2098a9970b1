import { countsIn } from '@/core/figures/counts'
import { exactly } from '@/core/figures/crossing'
import { figuresOf } from '@/core/figures/of-table'
import { labelOf, valueType } from '@/core/figures/review'
import type { FigureSetting } from '@/core/figures/sql'
import { formatStored } from '@/core/values/format'
import type { Image, TableDef } from '@/core/values/tables'
import { titlesOfGroups } from '@/engine/figures/past'
import { readFigureRow } from '@/store/figures/definitions'
import { readGroups } from '@/store/figures/values'
import { pool } from './environment'

/** The figures that a record counts in now, with the values of its groups, ready to be shown. */
export async function countedIn(table: TableDef, record: Image, setting: FigureSetting) {
  const shown: { name: string; label: string; group: string; value: string }[] = []
  for (const figure of figuresOf(table)) {
    const counted = countsIn(figure, table, record, setting, new Date())
    const row = counted && (await readFigureRow(pool(), figure.name))
    if (!counted || !row) continue
    const grp = JSON.stringify(counted.group)
    const value = [...(await readGroups(pool(), row.id, [grp])).values()][0]?.value ?? null
    const title = (await titlesOfGroups(pool(), figure, setting, [grp])).get(grp) ?? ''
    shown.push({
      name: figure.name,
      label: labelOf(figure),
      group: figure.by === undefined ? '' : title,
      value: value === null ? 'blank' : formatStored(valueType(figure, table), exactly(value), setting.organisation),
    })
  }
  return shown
}
