import type { Pool } from 'pg'
import { many, one } from '@/store/database'

/** The columns, of every table of Rappel's and the users' and of every log, in which a text stands in some row, whatever the case of its letters. */
export async function whereStands(pool: Pool, text: string): Promise<string[]> {
  const columns = await many<{ s: string; t: string; c: string }>(
    pool,
    `select n.nspname as s, r.relname as t, a.attname as c from pg_attribute a join pg_class r on r.oid = a.attrelid join pg_namespace n on n.oid = r.relnamespace
      where n.nspname in ('rappel', 'rappel_log', 'data') and r.relkind = 'r' and a.attnum > 0 and not a.attisdropped order by 1, 2, a.attnum`,
  )
  const found: string[] = []
  for (const { s, t, c } of columns) {
    const { n } = await one<{ n: number }>(pool, `select count(*)::int as n from "${s}"."${t}" where strpos(lower("${c}"::text), lower($1)) > 0`, [text])
    if (n > 0) found.push(`${s}.${t}.${c}`)
  }
  return found
}
