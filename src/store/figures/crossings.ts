import type { ChangedBy } from '@/core/changes/change'
import type { FigureValue } from '@/core/figures/crossing'
import { many, type Queryable } from '../database'

/** A crossing, about to be kept. */
export interface NewCrossing {
  readonly figure: number
  readonly threshold: string
  readonly line: number
  readonly grp: string
  readonly before: FigureValue
  readonly value: FigureValue
  readonly n: number
  readonly at: Date
  readonly change_id: number | null
  readonly xid: string | null
  readonly by: ChangedBy
  readonly run: number | null
  readonly depth: number
}

/** Keeps crossings; their ids, in order. */
export async function insertCrossings(db: Queryable, crossings: readonly NewCrossing[]): Promise<number[]> {
  if (crossings.length === 0) return []
  const rows = await many<{ id: number }>(
    db,
    `insert into rappel.crossing (figure, threshold, line, grp, before, value, n, at, change_id, xid, by, run, depth)
     select figure, threshold, line, grp::jsonb, before, value, n, at, change_id, xid::xid8, by, run, depth
       from jsonb_to_recordset($1::jsonb) as r (place int, figure bigint, threshold text, line numeric, grp text, before numeric, value numeric, n bigint, at timestamptz, change_id bigint, xid text,
            by jsonb, run bigint, depth int) order by place returning id`,
    [JSON.stringify(crossings.map((c, place) => ({ ...c, place })))],
  )
  return rows.map((r) => r.id)
}

/** A crossing as people see it. */
export interface CrossingRow extends Omit<NewCrossing, 'xid' | 'figure'> {
  readonly id: number
}

/** Crossings of a figure, newest first; of one group where it is given (JSON). */
export function listCrossings(
  db: Queryable,
  figure: number,
  { from, to, group = null, limit }: { from: Date; to: Date; group?: string | null; limit: number },
): Promise<CrossingRow[]> {
  return many<CrossingRow>(
    db,
    `select id, threshold, line::float8 as line, grp::text as grp, before::text as before, value::text as value, n, at, change_id, by, run, depth from rappel.crossing
      where figure = $1 and at >= $2 and at < $3 and ($4::jsonb is null or grp = $4) order by id desc limit $5`,
    [figure, from, to, group, limit],
  )
}
