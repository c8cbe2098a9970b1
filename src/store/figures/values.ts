import type { MeasureKind, TableFigure } from '@/core/document/figure'
import { measureOf } from '@/core/document/figure'
import type { FigureValue, Side } from '@/core/figures/crossing'
import { valueOfNothing } from '@/core/figures/parts'
import type { Days } from '@/core/figures/window'
import { many, type Queryable, touch } from '../database'
import { sidesSql } from './sides'

/** A group of a figure: JSON, its value, how many records are behind it, and its sides. */
export interface GroupRow {
  readonly grp: string
  readonly n: number
  readonly total: string
  readonly value: FigureValue
  readonly sides: Readonly<Record<string, Side>>
}

/** The value of a group as SQL over its parts `p`. */
const VALUES: Record<MeasureKind, string> = {
  count: 'coalesce(sum(p.n), 0)',
  sum: 'coalesce(sum(p.total), 0)',
  average: 'sum(p.total) / nullif(sum(p.n), 0)',
  minimum: `min((p.val #>> '{}')::numeric) filter (where p.n > 0)`,
  maximum: `max((p.val #>> '{}')::numeric) filter (where p.n > 0)`,
  distinct: 'count(distinct p.val) filter (where p.n > 0)',
}

const within = (days: Days | null, first: number) => (days ? `and p.day between $${first}::date and $${first + 1}::date` : '')
const bounds = (days: Days | null) => (days ? [days.from, days.to] : [])

/** Works the values of all groups out from their parts. Sides are those that the values are on by themselves. A figure without groups has its one value from the beginning. */
export async function recount(db: Queryable, id: number, figure: TableFigure, days: Days | null, at: Date): Promise<void> {
  const { kind } = measureOf(figure.of)
  const none = figure.by === undefined ? `union all select 'null'::jsonb, 0, 0, ${valueOfNothing(kind)} where not exists (select from found)` : ''
  await touch(
    db,
    `with found as (select p.grp, sum(p.n)::bigint as n, sum(p.total) as total, (${VALUES[kind]})::numeric as value from rappel.figure_part p where p.figure = $1 ${within(days, 3)} group by p.grp)
     insert into rappel.figure_value (figure, grp, n, total, value, sides, moved_at)
     select $1, v.grp, v.n, v.total, v.value, ${sidesSql(figure.thresholds ?? [])}, $2 from (select * from found ${none}) v`,
    [id, at, ...bounds(days)],
  )
}

const GROUP = 'v.grp::text as grp, v.n, v.total::text as total, v.value::text as value, v.sides'

/** Groups of a figure as they stand, by their JSON; those that have no value yet are left out. */
export async function readGroups(db: Queryable, id: number, groups: readonly string[]): Promise<Map<string, GroupRow>> {
  const rows = await many<GroupRow>(db, `select ${GROUP} from rappel.figure_value v where v.figure = $1 and v.grp = any($2::jsonb[])`, [id, groups])
  return new Map(rows.map((r) => [r.grp, r]))
}

/** All groups of a figure, those with the highest value first. */
export function listGroups(db: Queryable, id: number, limit: number): Promise<GroupRow[]> {
  return many<GroupRow>(db, `select ${GROUP} from rappel.figure_value v where v.figure = $1 order by v.value desc nulls last, v.grp limit $2`, [id, limit])
}

/** What groups come to over the days of a window, from their parts; all groups where none are named. */
export function countedGroups(db: Queryable, id: number, kind: MeasureKind, days: Days | null, groups: readonly string[] | null): Promise<Omit<GroupRow, 'sides'>[]> {
  return many<Omit<GroupRow, 'sides'>>(
    db,
    `select p.grp::text as grp, sum(p.n)::bigint as n, sum(p.total)::text as total, (${VALUES[kind]})::numeric::text as value from rappel.figure_part p
      where p.figure = $1 and ($2::jsonb[] is null or p.grp = any($2)) ${within(days, 3)} group by p.grp`,
    [id, groups, ...bounds(days)],
  )
}

/** Writes what groups have come to. */
export async function writeGroups(db: Queryable, id: number, rows: readonly GroupRow[], at: Date): Promise<void> {
  if (rows.length === 0) return
  await touch(
    db,
    `insert into rappel.figure_value as v (figure, grp, n, total, value, sides, moved_at)
     select $1, r.grp::jsonb, r.n, r.total, r.value, r.sides, $3 from jsonb_to_recordset($2::jsonb) as r (grp text, n bigint, total numeric, value numeric, sides jsonb)
     on conflict (figure, grp) do update set n = excluded.n, total = excluded.total, value = excluded.value, sides = excluded.sides, moved_at = excluded.moved_at`,
    [id, JSON.stringify(rows), at],
  )
}
