import { many, type Queryable } from './database'
import { changesIn } from './log'

/** How many of the newest changes of a table are looked at. */
const LOOKED_AT = 5_000

/** How often each field of a table changed in its newest changes. */
export async function fieldMoves(db: Queryable, table: string): Promise<Map<string, number>> {
  const rows = await many<{ field: string; times: number }>(
    db,
    `select f.field, count(*)::int as times
       from (select changed from ${changesIn(table)} where kind = 'changed' order by id desc limit ${LOOKED_AT}) c
       cross join lateral unnest(c.changed) as f(field)
      group by 1`,
  )
  return new Map(rows.map(({ field, times }) => [field, times]))
}
