import { isComputed } from '@/core/document/figure'
import { labelOf } from '@/core/figures/label'
import { figuresOf } from '@/core/figures/of-table'
import type { FigureSetting } from '@/core/figures/sql'
import { daysWithin } from '@/core/figures/window'
import { shownValue } from '@/core/figures/words'
import { type Image, idFrom, type TableDef } from '@/core/values/tables'
import { titlesOfGroups } from '@/engine/figures/past'
import { groupOfRecord } from '@/store/figures/counts'
import { readFigureRow } from '@/store/figures/definitions'
import { readGroups } from '@/store/figures/values'
import { pool } from './environment'

/** The figures that a record counts in now, with the values of its groups, ready to be shown. */
export async function countedIn(table: TableDef, record: Image, setting: FigureSetting) {
  const shown: { name: string; label: string; group: string; value: string }[] = []
  const id = idFrom(record.id)
  if (id === null) return shown
  for (const { name, definition, grouping, unit } of figuresOf(table)) {
    if (isComputed(definition)) continue
    const days = definition.within ? daysWithin(definition.within, new Date(), setting.organisation.zone) : null
    const grp = await groupOfRecord(pool(), definition, setting, id, days)
    const row = grp === null ? null : await readFigureRow(pool(), name)
    if (grp === null || !row) continue
    const value = [...(await readGroups(pool(), row.id, [grp])).values()][0]?.value ?? null
    const title = (await titlesOfGroups(pool(), definition, setting, [grp])).get(grp) ?? ''
    shown.push({ name, label: labelOf(definition), group: grouping ? title : '', value: shownValue(unit, value, setting.organisation) })
  }
  return shown
}
