import type { Pool } from 'pg'
import type { FigureSetting } from '@/core/figures/sql'
import { daysWithin } from '@/core/figures/window'
import { many, one, type Queryable, touch, transaction } from '../database'
import { takeFigure, workOut } from './definitions'
import { unseenRows } from './fold'
import { partsSql } from './parts'

/** What a check came to: how many parts were not what the table says; null where the figure has changes to fold in first, or another has it. */
export async function checkFigure(pool: Pool, id: number, setting: FigureSetting, now: Date): Promise<number | null> {
  return transaction(
    pool,
    async (client) => {
      const kept = await takeFigure(client, id)
      if (!kept || (await unseenRows(client, kept))) return null
      const { definition } = kept
      const params: unknown[] = [id]
      const bind = (value: unknown, type: string) => `$${params.push(value)}::${type}`
      const parts = partsSql(definition, setting, bind)
      const { differing } = await one<{ differing: number }>(
        client,
        `with told as (${parts}), held as (select grp, day, val, n, total from rappel.figure_part where figure = $1)
         select count(*) as differing from told t full join held h using (grp, day, val) where coalesce(t.n, 0) <> coalesce(h.n, 0) or coalesce(t.total, 0) <> coalesce(h.total, 0)`,
        params,
      )
      if (differing === 0) return 0
      await workOut(client, id, definition, setting, definition.within ? daysWithin(definition.within, now, setting.organisation.zone) : null, now)
      await touch(client, 'insert into rappel.figure_drift (figure, at, differing) values ($1, $2, $3)', [id, now, differing])
      return differing
    },
    'repeatable read',
  )
}

/** A figure that was put right by the nightly check. */
export interface Drift {
  readonly name: string
  readonly at: Date
  readonly differing: number
}

/** What was put right since a moment, newest first. */
export const listDrifts = (db: Queryable, since: Date): Promise<Drift[]> =>
  many<Drift>(db, 'select f.name, d.at, d.differing from rappel.figure_drift d join rappel.figure f on f.id = d.figure where d.at >= $1 order by d.at desc limit 20', [since])

/** A figure beyond a threshold of its: in how many groups, and the value that is furthest. */
export interface Beyond {
  readonly name: string
  readonly threshold: string
  readonly groups: number
}

/** The figures that are beyond thresholds now. */
export const listBeyond = (db: Queryable): Promise<Beyond[]> =>
  many<Beyond>(
    db,
    `select f.name, s.key as threshold, count(*)::int as groups from rappel.figure_value v join rappel.figure f on f.id = v.figure cross join lateral jsonb_each_text(v.sides) s
      where s.value = 'far' group by f.name, s.key order by f.name, s.key`,
  )
