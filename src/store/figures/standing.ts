import type { Standing } from '@/core/figures/crossing'
import { groupValue, saidValue } from '@/core/figures/crossing'
import { many, type Queryable } from '../database'

/** A group of a figure as it stands, with its JSON, by which groups are in order. */
export interface StandingRow {
  readonly grp: string
  readonly standing: Standing
}

/** The next groups of a figure as they stand now, after one (JSON), in the order of their JSON texts. */
export async function standingPage(db: Queryable, figure: string, after: string | null, limit: number): Promise<StandingRow[]> {
  const rows = await many<{ grp: string; value: string | null; n: number }>(
    db,
    `select v.grp::text as grp, v.value::text as value, v.n from rappel.figure_value v join rappel.figure f on f.id = v.figure
      where f.name = $1 and ($2::text is null or v.grp::text collate "C" > $2) order by v.grp::text collate "C" limit $3`,
    [figure, after, limit],
  )
  return rows.map((row) => ({ grp: row.grp, standing: standingOfRow(figure, row) }))
}

/** Some groups of a figure as they stand now, by their JSON; those that it does not have are left out. */
export async function standingsOf(db: Queryable, figure: string, groups: readonly string[]): Promise<Map<string, Standing>> {
  const rows = await many<{ asked: string; grp: string; value: string | null; n: number }>(
    db,
    `select g.asked, v.grp::text as grp, v.value::text as value, v.n from unnest($2::text[]) as g (asked) join rappel.figure f on f.name = $1 join rappel.figure_value v on v.figure = f.id and v.grp = g.asked::jsonb`,
    [figure, groups],
  )
  return new Map(rows.map((row) => [row.asked, standingOfRow(figure, row)]))
}

const standingOfRow = (figure: string, { grp, value, n }: { grp: string; value: string | null; n: number }): Standing => ({
  figure,
  group: groupValue(grp),
  value: saidValue(value),
  count: Number(n),
})
