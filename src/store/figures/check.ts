import type { Pool } from 'pg'
import { inOrder } from '@/core/figures/computed'
import type { FigureSetting } from '@/core/figures/sql'
import { daysWithin } from '@/core/figures/window'
import { many, one, type Queryable, touch, transaction } from '../database'
import { computed, recompute } from './compute'
import { takeFigures, workOut } from './definitions'
import { unseenRows } from './fold'
import { partsSql } from './parts'
import { resetSides } from './reset-sides'
import { type FigureRow, isOverRecords, type KeptFigure, type KeptTableFigure } from './rows'
import { readGroups } from './values'

/**
 * Works figures that are moved together out anew, holds them against what is kept, and puts right what differs. Answers how many parts, or values of computed figures, were not what they should be, by name;
 * null where they have changes to fold in first, or another has them.
 */
export async function checkFigures(pool: Pool, ids: readonly number[], setting: FigureSetting, now: Date): Promise<{ name: string; differing: number }[] | null> {
  return transaction(
    pool,
    async (client) => {
      const taken = await takeFigures(client, ids)
      if (!taken) return null
      const over = taken.figures.filter(isOverRecords)
      for (const kept of over) if (await unseenRows(client, kept, taken.now, setting)) return null
      const rows = new Map(taken.figures.map((f) => [f.name, f]))
      const mended: { name: string; differing: number }[] = []
      for (const { name } of inOrder(taken.figures.map((f) => f.definition))) {
        const kept = rows.get(name)
        if (!kept) continue
        const differing = isOverRecords(kept) ? await checkParts(client, kept, setting, now) : await checkValues(client, kept, rows, now)
        if (differing === 0) continue
        await resetSides(client, kept.id, kept.definition, rows, undefined)
        await touch(client, 'insert into rappel.figure_drift (figure, at, differing) values ($1, $2, $3)', [kept.id, now, differing])
        mended.push({ name, differing })
      }
      return mended
    },
    'repeatable read',
  )
}

async function checkParts(client: Queryable, { id, definition }: KeptTableFigure, setting: FigureSetting, now: Date): Promise<number> {
  const params: unknown[] = [id]
  const parts = partsSql(definition, setting, (value, type) => `$${params.push(value)}::${type}`)
  const { differing } = await one<{ differing: number }>(
    client,
    `with told as (${parts}), held as (select grp, day, val, n, total from rappel.figure_part where figure = $1)
     select count(*) as differing from told t full join held h using (grp, day, val) where coalesce(t.n, 0) <> coalesce(h.n, 0) or coalesce(t.total, 0) <> coalesce(h.total, 0)`,
    params,
  )
  if (differing > 0) await workOut(client, id, definition, setting, definition.within ? daysWithin(definition.within, now, setting.organisation.zone) : null, now)
  return differing
}

/** A computed figure against what its parts have come to; a value that nothing moved yet may be missing where it would be blank. */
async function checkValues(client: Queryable, kept: KeptFigure, rows: ReadonlyMap<string, FigureRow>, now: Date): Promise<number> {
  const told = await computed(client, kept, rows)
  const held = await readGroups(
    client,
    kept.id,
    told.map((t) => t.grp),
  )
  const differing = told.filter(({ grp, value }) => (held.get(grp)?.value ?? null) !== value).length
  if (differing > 0) await recompute(client, kept, rows, now)
  return differing
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
  /** How many groups the figure has. */
  readonly all: number
}

/** The figures that are beyond thresholds now. */
export const listBeyond = (db: Queryable): Promise<Beyond[]> =>
  many<Beyond>(
    db,
    `select f.name, s.key as threshold, count(*)::int as groups, (select count(*)::int from rappel.figure_value a where a.figure = f.id) as all from rappel.figure_value v join rappel.figure f on f.id = v.figure cross join lateral jsonb_each_text(v.sides) s
      where s.value = 'far' group by f.id, f.name, s.key order by f.name, s.key`,
  )

/** A group that is near one of its figure's thresholds. */
export interface Nearing {
  readonly name: string
  readonly threshold: string
  readonly grp: string
  readonly value: string
}

/** How near a value must be to a threshold's number to be told, as a share of it. */
const NEAR_BY = 0.2

/** The groups that are nearest to a threshold without being beyond it, of each threshold the nearest. */
export const listNearing = (db: Queryable, limit: number): Promise<Nearing[]> =>
  many<Nearing>(
    db,
    `select name, threshold, grp, value from (
       select distinct on (f.id, t.value ->> 'name') f.name, t.value ->> 'name' as threshold, v.grp::text as grp, v.value::text as value,
              abs(v.value - (t.value ->> 'value')::numeric) / greatest(abs((t.value ->> 'value')::numeric), 1) as far
         from rappel.figure f cross join lateral json_array_elements(f.definition -> 'thresholds') t join rappel.figure_value v on v.figure = f.id
        where json_typeof(t.value -> 'value') = 'number' and v.value is not null and coalesce(v.sides ->> (t.value ->> 'name'), 'near') = 'near'
        order by f.id, t.value ->> 'name', far, v.grp) n
      where far <= $2 order by far, name, threshold limit $1`,
    [limit, NEAR_BY],
  )
