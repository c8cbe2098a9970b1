import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import type { FigureSetting } from '@/core/figures/sql'
import { type Days, daysWithin } from '@/core/figures/window'
import { many, maybeOne, one, type Queryable, touch, transaction } from '../database'
import { Refused } from '../problems'
import { partsSql } from './parts'
import { sidesSql } from './sides'
import { recount } from './values'

/** A figure as it is kept. */
export interface FigureRow {
  readonly id: number
  readonly name: string
  readonly definition: Figure
  readonly version: number
  readonly moved_at: Date
  /** Why it cannot be kept up any more; null where it can. */
  readonly fault: string | null
}

/** A figure as it is moved: what is in it (a pg_snapshot, as text), and the days that its window took in. */
export interface KeptFigure extends FigureRow {
  readonly seen: string
  readonly from: string | null
  readonly to: string | null
}

const COLUMNS = 'id, name, definition, version, moved_at, fault'
const KEPT = `${COLUMNS}, seen::text as seen, to_char(lower(days), 'YYYY-MM-DD') as "from", to_char(upper(days) - 1, 'YYYY-MM-DD') as "to"`

/** Every figure, by name. */
export const listFigures = (db: Queryable): Promise<FigureRow[]> => many<FigureRow>(db, `select ${COLUMNS} from rappel.figure order by name`)

/** One figure, or null. */
export const readFigureRow = (db: Queryable, name: string): Promise<FigureRow | null> => maybeOne<FigureRow>(db, `select ${COLUMNS} from rappel.figure where name = $1`, [name])

/** Takes a figure to be moved, for this transaction, with the snapshot (pg_snapshot, as text) up to which that is done; null where another has it, or it is gone. */
export const takeFigure = (db: Queryable, id: number): Promise<(KeptFigure & { now: string }) | null> =>
  maybeOne<KeptFigure & { now: string }>(db, `select ${KEPT}, pg_current_snapshot()::text as now from rappel.figure where id = $1 for update skip locked`, [id])

/** Whether any figure has a window, which moves with the calendar. */
export const anyWindows = async (db: Queryable): Promise<boolean> => (await maybeOne(db, 'select 1 from rappel.figure where days is not null limit 1')) !== null

/** Every figure as it is moved, in the order in which they were made. */
export const listKept = (db: Queryable): Promise<KeptFigure[]> => many<KeptFigure>(db, `select ${KEPT} from rappel.figure order by id`)

/** Notes what is in a figure now, and which days its window takes in. */
export async function noteSeen(db: Queryable, id: number, seen: string, days: Days | null, at: Date): Promise<void> {
  await touch(
    db,
    `update rappel.figure set seen = $2::pg_snapshot, days = case when $3::date is null then null else daterange($3::date, $4::date, '[]') end, moved_at = $5, fault = null where id = $1`,
    [id, seen, days?.from ?? null, days?.to ?? null, at],
  )
}

/** Notes why a figure cannot be kept up any more. */
export async function noteFault(db: Queryable, id: number, fault: string): Promise<void> {
  await touch(db, 'update rappel.figure set fault = $2 where id = $1 and fault is distinct from $2', [id, fault.slice(0, 1_000)])
}

/** What makes a figure be worked out anew when it differs: all but its words and thresholds. */
function basisOf({ table, of, where, by, within }: Figure, zone: string): string {
  return JSON.stringify([table, of, where ?? null, by ?? null, within ?? null, within || typeof by === 'object' ? zone : null])
}

/**
 * Makes a figure, or changes one. What it is put together from is worked out over its table at one snapshot, from which on changes move it; writers are not held up. Neither that nor new
 * thresholds cross anything. @throws Refused where `name` is another's
 */
export async function putFigure(pool: Pool, figure: Figure, setting: FigureSetting, now: Date): Promise<FigureRow> {
  return transaction(
    pool,
    async (client) => {
      const { seen } = await one<{ seen: string }>(client, 'select pg_current_snapshot()::text as seen')
      const basis = basisOf(figure, setting.organisation.zone)
      const old = await maybeOne<KeptFigure & { basis: string }>(client, `select ${KEPT}, basis from rappel.figure where name = $1 for update`, [figure.name])
      const days = figure.within ? daysWithin(figure.within, now, setting.organisation.zone) : null
      const isAnew = old?.basis !== basis
      const row = await one<FigureRow>(
        client,
        `insert into rappel.figure (name, tbl, definition, basis, seen, moved_at) values ($1, $2, $3, $4, $5::pg_snapshot, $6)
         on conflict (name) do update set tbl = $2, definition = $3, basis = $4, version = figure.version + 1 returning ${COLUMNS}`,
        [figure.name, figure.table, JSON.stringify(figure), basis, seen, now],
      )
      if (isAnew) {
        await workOut(client, row.id, figure, setting, days, now)
        await refuseTooMany(client, row.id)
        await noteSeen(client, row.id, seen, days, now)
      } else await resetSides(client, row.id, figure, old?.definition)
      await client.query('select rappel.next_generation()')
      return row
    },
    'repeatable read',
  )
}

/** Works out over its table, anew, what a figure is put together from, and what its groups come to. */
export async function workOut(db: Queryable, id: number, figure: Figure, setting: FigureSetting, days: Days | null, now: Date): Promise<void> {
  await touch(db, 'delete from rappel.figure_part where figure = $1', [id])
  await touch(db, 'delete from rappel.figure_value where figure = $1', [id])
  const params: unknown[] = [id]
  const parts = partsSql(figure, setting, (value, type) => `$${params.push(value)}::${type}`)
  await touch(db, `insert into rappel.figure_part (figure, grp, day, val, n, total) select $1, grp, day, val, n, total from (${parts}) p`, params)
  await recount(db, id, figure, days, now)
}

/** More groups than that are no figure that anybody looks at. */
const MOST_GROUPS = 10_000

async function refuseTooMany(db: Queryable, id: number): Promise<void> {
  const { groups } = await one<{ groups: number }>(
    db,
    `select count(*) as groups from (select distinct grp from rappel.figure_part where figure = $1 limit ${MOST_GROUPS + 1}) g`,
    [id],
  )
  if (groups <= MOST_GROUPS) return
  const message = `It would have more than ${MOST_GROUPS.toLocaleString('en')} groups. Group by a field with fewer values, or let conditions leave some out.`
  throw new Refused('invalid', message, [{ code: 'too many groups', path: '/by', message }])
}

/** Thresholds that are new, or others than they were, begin on the side that the value is on now. */
async function resetSides(db: Queryable, id: number, figure: Figure, old: Figure | undefined): Promise<void> {
  const known = new Map((old?.thresholds ?? []).map((t) => [t.name, JSON.stringify(t)]))
  const fresh = (figure.thresholds ?? []).filter((t) => known.get(t.name) !== JSON.stringify(t))
  const gone = [...known.keys()].filter((name) => !(figure.thresholds ?? []).some((t) => t.name === name))
  if (gone.length) await touch(db, 'update rappel.figure_value set sides = sides - $2::text[] where figure = $1', [id, gone])
  if (fresh.length) await touch(db, `update rappel.figure_value v set sides = v.sides || ${sidesSql(fresh)} where figure = $1`, [id])
}

/** Deletes a figure with its crossings. @throws Refused where there is none */
export async function deleteFigure(db: Queryable, name: string): Promise<void> {
  await db.query('select rappel.next_generation()')
  if ((await touch(db, 'delete from rappel.figure where name = $1', [name])) === 0) throw new Refused('not found', `There is no figure called ${JSON.stringify(name)}.`)
}
