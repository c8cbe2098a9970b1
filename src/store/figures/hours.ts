import type { Pool } from 'pg'
import { rootsOf } from '@/core/figures/computed'
import { type Hour, hoursOf } from '@/core/figures/hours'
import type { FigureSetting } from '@/core/figures/sql'
import { many, maybeOne, type Queryable, touch } from '../database'
import { changesIn } from '../log'
import { listFigures } from './definitions'
import { followFigure } from './history'
import type { FigureRow } from './rows'

/** Keeps, hour by hour, what every figure went through since that was kept last, for the time when the log no longer reaches so far back. Answers how many hours of groups that was. */
export async function keepHours(pool: Pool, setting: FigureSetting, now: Date): Promise<number> {
  const rows = await listFigures(pool)
  const all = new Map(rows.map((r) => [r.name, r.definition]))
  let kept = 0
  for (const row of rows.filter((r) => r.fault === null)) {
    const last = (await maybeOne<{ hour: Date | null }>(pool, 'select max(hour) as hour from rappel.figure_hour where figure = $1', [row.id]))?.hour
    const begun = await Promise.all(rootsOf(row.definition, all).map((f) => logBegins(pool, f.table)))
    const from = last ?? begun.filter((at) => at !== null).sort((a, b) => b.getTime() - a.getTime())[0]
    if (!from) continue
    const past = await followFigure(pool, row.definition, setting, { from, to: now })
    kept += await write(pool, row, hoursOf(past, past.from))
  }
  return kept
}

async function write(db: Queryable, { id }: FigureRow, hours: readonly Hour[]): Promise<number> {
  return touch(
    db,
    `insert into rappel.figure_hour as h (figure, grp, hour, value, low, high)
     select $1, r.grp::jsonb, r.hour, r.value, r.low, r.high from jsonb_to_recordset($2::jsonb) as r (grp text, hour timestamptz, value numeric, low numeric, high numeric)
     on conflict (figure, grp, hour) do update set value = excluded.value, low = least(h.low, excluded.low), high = greatest(h.high, excluded.high)`,
    [id, JSON.stringify(hours)],
  )
}

/** When the log of a table begins; null where it is empty. */
export async function logBegins(db: Queryable, table: string): Promise<Date | null> {
  return (await maybeOne<{ at: Date }>(db, `select at from ${changesIn(table)} order by id limit 1`))?.at ?? null
}

/** The hours that are kept of some groups of a figure within a span, in order; and of each the last one before it. */
export async function readHours(db: Queryable, figure: string, groups: readonly string[], { from, to }: { from: Date; to: Date }): Promise<Map<string, Hour[]>> {
  const rows = await many<Hour>(
    db,
    `select h.grp::text as grp, h.hour, h.value::text as value, h.low::text as low, h.high::text as high from rappel.figure_hour h join rappel.figure f on f.id = h.figure
      where f.name = $1 and h.grp = any($2::jsonb[]) and h.hour < $4
        and h.hour >= coalesce((select max(e.hour) from rappel.figure_hour e where e.figure = h.figure and e.grp = h.grp and e.hour <= $3), $3) order by h.grp, h.hour`,
    [figure, groups, from, to],
  )
  const byGroup = new Map<string, Hour[]>()
  for (const row of rows) byGroup.set(row.grp, [...(byGroup.get(row.grp) ?? []), row])
  return byGroup
}
