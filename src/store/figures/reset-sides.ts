import type { Figure, Threshold } from '@/core/document/figure'
import { type FigureValue, sideAfter } from '@/core/figures/crossing'
import { WHOLE } from '@/core/figures/together'
import { many, type Queryable, touch } from '../database'
import { isGrouped, nothingOf } from './compute'
import type { FigureRow } from './rows'
import { sidesSql } from './sides'

/** Puts thresholds that are new, or others than they were, on the side that the values are on now, and forgets those that are gone; all of them are new where nothing was before. */
export async function resetSides(db: Queryable, id: number, figure: Figure, rows: ReadonlyMap<string, FigureRow>, old: Figure | undefined): Promise<void> {
  const known = new Map((old?.thresholds ?? []).map((t) => [t.name, JSON.stringify(t)]))
  const fresh = (figure.thresholds ?? []).filter((t) => known.get(t.name) !== JSON.stringify(t))
  const gone = [...known.keys()].filter((name) => !(figure.thresholds ?? []).some((t) => t.name === name))
  if (gone.length) await touch(db, 'update rappel.figure_value set sides = sides - $2::text[] where figure = $1', [id, gone])
  if (fresh.some((t) => typeof t.value === 'number')) await touch(db, `update rappel.figure_value v set sides = v.sides || ${sidesSql(fresh)} where figure = $1`, [id])
  for (const threshold of fresh) await resetLine(db, id, threshold, rows)
}

/** The same for a threshold that is at another figure's value. */
async function resetLine(db: Queryable, id: number, threshold: Threshold, rows: ReadonlyMap<string, FigureRow>): Promise<void> {
  const { name, value } = threshold
  const line = typeof value === 'number' ? undefined : rows.get(value.figure)
  if (!line) return
  const both = await many<{ grp: string; value: FigureValue; line: FigureValue }>(
    db,
    `select v.grp::text as grp, v.value::text as value, l.value::text as line from rappel.figure_value v
       left join rappel.figure_value l on l.figure = $2 and l.grp = case when $3 then v.grp else $4::jsonb end where v.figure = $1`,
    [id, line.id, isGrouped(line, rows), WHOLE],
  )
  const far = both.filter((b) => sideAfter(threshold, b.line ?? nothingOf(line), 'near', b.value) === 'far').map((b) => b.grp)
  await touch(db, `update rappel.figure_value set sides = sides || jsonb_build_object($2::text, case when grp = any($3::jsonb[]) then 'far' else 'near' end) where figure = $1`, [
    id,
    name,
    far,
  ])
}
