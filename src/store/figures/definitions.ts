import type { Pool } from 'pg'
import { type Figure, isComputed, type TableFigure } from '@/core/document/figure'
import { families, figuresBehind, inOrder, tableOfFigure } from '@/core/figures/computed'
import type { FigureSetting } from '@/core/figures/sql'
import { type Days, daysWithin } from '@/core/figures/window'
import { codeOf, faultOf } from '@/core/must'
import { inSavepoint, many, maybeOne, one, type Queryable, touch, transaction } from '../database'
import { explained, isFaultOfData, Refused } from '../problems'
import { recompute } from './compute'
import { partsSql } from './parts'
import { resetSides } from './reset-sides'
import type { FigureRow, KeptFigure } from './rows'
import { recount } from './values'

const COLUMNS = 'id, name, definition, version, moved_at, fault'
const KEPT = `${COLUMNS}, seen::text as seen, to_char(lower(days), 'YYYY-MM-DD') as "from", to_char(upper(days) - 1, 'YYYY-MM-DD') as "to"`

/** Every figure, by name. */
export const listFigures = (db: Queryable): Promise<FigureRow[]> => many<FigureRow>(db, `select ${COLUMNS} from rappel.figure order by name`)

/** One figure, or null. */
export const readFigureRow = (db: Queryable, name: string): Promise<FigureRow | null> => maybeOne<FigureRow>(db, `select ${COLUMNS} from rappel.figure where name = $1`, [name])

/**
 * Takes figures to be moved together, for this transaction, in the order of their ids, with the snapshot (pg_snapshot, as text) up to which that is done; null where another has one of them, or one is gone.
 */
export async function takeFigures(db: Queryable, ids: readonly number[]): Promise<{ readonly figures: readonly KeptFigure[]; readonly now: string } | null> {
  const rows = await many<KeptFigure & { now: string }>(
    db,
    `select ${KEPT}, rappel.snapshot()::text as now from rappel.figure where id = any($1) order by id for update skip locked`,
    [ids],
  )
  const [first] = rows
  return first && rows.length === ids.length ? { figures: rows, now: first.now } : null
}

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
function basisOf(figure: Figure, zone: string): string {
  if (isComputed(figure)) return JSON.stringify([figure.formula])
  const { table, of, where, by, within } = figure
  return JSON.stringify([table, of, where ?? null, by ?? null, within ?? null, within || typeof by === 'object' ? zone : null])
}

/**
 * Makes a figure, or changes one. What it is put together from is worked out over its table at one snapshot, from which on changes move it; writers are not held up. What is worked out from it follows.
 * Neither that nor new thresholds cross anything. @throws Refused where it has too many groups
 */
export const putFigure = (pool: Pool, figure: Figure, setting: FigureSetting, now: Date): Promise<FigureRow> =>
  atOneSnapshot(pool, (client) => putInto(client, figure, setting, now))

/** What PostgreSQL says where a row was changed after the transaction's snapshot (SQLSTATE serialization_failure), and how often it is begun again then. */
const MOVED_MEANWHILE = '40001'
const MOST_TRIES = 20

/** Runs work that changes figures in a transaction at one snapshot, again where they were moved meanwhile. */
export async function atOneSnapshot<T>(pool: Pool, work: (client: Queryable) => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await transaction(pool, work, 'repeatable read')
    } catch (error) {
      if (codeOf(error) !== MOVED_MEANWHILE || tries >= MOST_TRIES) throw error
    }
  }
}

/** Has figures worked out anew when they are renewed, whatever they are worked out from. */
export const markOutdated = (db: Queryable, names: readonly string[]): Promise<number> => touch(db, `update rappel.figure set basis = '' where name = any($1)`, [names])

/** Whether any figure is marked so. */
export const anyOutdated = async (db: Queryable): Promise<boolean> => (await maybeOne(db, `select 1 from rappel.figure where basis = '' limit 1`)) !== null

/** Works out anew, at one snapshot, every figure that was worked out otherwise than it would be now, such as by days of another time zone; nothing is crossed by that, and what was kept of them hour by hour stays. */
export async function renewFigures(client: Queryable, setting: FigureSetting, now: Date): Promise<void> {
  const kept = await many<KeptFigure & { basis: string }>(client, `select ${KEPT}, basis from rappel.figure order by id`)
  const outdated = kept.filter((k) => k.basis !== basisOf(k.definition, setting.organisation.zone))
  // all at once: one that is moved while another is worked out could not be changed at this snapshot any more
  if (outdated.length) await client.query('select 1 from rappel.figure order by id for update')
  for (const { id, definition } of outdated) {
    try {
      await inSavepoint(client, () => putInto(client, definition, setting, now, { keepsHours: true }))
    } catch (error) {
      if (codeOf(error) === MOVED_MEANWHILE || !isFaultOfData(error)) throw error
      await noteFault(client, id, faultOf(explained(error)))
    }
  }
}

async function putInto(client: Queryable, figure: Figure, setting: FigureSetting, now: Date, { keepsHours = false } = {}): Promise<FigureRow> {
  const { seen } = await one<{ seen: string }>(client, 'select rappel.snapshot()::text as seen')
  const kept = await many<KeptFigure & { basis: string }>(client, `select ${KEPT}, basis from rappel.figure order by id`)
  const definitions = [...kept.filter((k) => k.name !== figure.name).map((k) => k.definition), figure]
  const family = families(definitions).find((f) => f.includes(figure)) ?? [figure]
  const locked = kept.filter((k) => k.name === figure.name || family.some((f) => f.name === k.name)).map((k) => k.id)
  await client.query('select 1 from rappel.figure where id = any($1) order by id for update', [locked])
  const old = kept.find((k) => k.name === figure.name)
  const basis = basisOf(figure, setting.organisation.zone)
  const days = !isComputed(figure) && figure.within ? daysWithin(figure.within, now, setting.organisation.zone) : null
  const isAnew = old?.basis !== basis
  const all = new Map(definitions.map((f) => [f.name, f]))
  const row = await one<FigureRow>(
    client,
    `insert into rappel.figure (name, tbl, definition, basis, seen, moved_at, behind) values ($1, $2, $3, $4, $5::pg_snapshot, $6, $7)
     on conflict (name) do update set tbl = $2, definition = $3, basis = $4, behind = $7, version = figure.version + 1 returning ${COLUMNS}`,
    [figure.name, tableOfFigure(figure, all), JSON.stringify(figure), basis, seen, now, figuresBehind(figure)],
  )
  const rows = new Map([...kept, row].map((k) => [k.name, k]))
  if (isAnew && !isComputed(figure)) {
    await workOut(client, row.id, figure, setting, days, now)
    await refuseTooMany(client, row.id)
    await noteSeen(client, row.id, seen, days, now)
  }
  const after = inOrder(family).filter((f) => f === figure || (isAnew && leadsTo(f, figure.name, all)))
  const others = after.map((one) => rows.get(one.name)?.id ?? row.id)
  if (isAnew && !keepsHours) await touch(client, 'delete from rappel.figure_hour where figure = any($1)', [others])
  for (const one of after) {
    const own = rows.get(one.name)
    if (!own) continue
    if (isComputed(one) && (one !== figure || isAnew)) await recompute(client, { ...own, definition: one }, rows, now)
    if (one !== figure) await client.query('update rappel.figure set tbl = $2 where id = $1', [own.id, tableOfFigure(one, all)])
    await resetSides(client, own.id, one, rows, isAnew || one !== figure ? undefined : old?.definition)
  }
  await client.query('select rappel.next_generation()')
  return row
}

/** Whether a figure looks at another, be it through others. */
function leadsTo(figure: Figure, name: string, all: ReadonlyMap<string, Figure>): boolean {
  return figuresBehind(figure).some((behind) => {
    const next = all.get(behind)
    return behind === name || (next !== undefined && next !== figure && leadsTo(next, name, all))
  })
}

/** Works out over its table, anew, what a figure is put together from, and what its groups come to. */
export async function workOut(db: Queryable, id: number, figure: TableFigure, setting: FigureSetting, days: Days | null, now: Date): Promise<void> {
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

/** Deletes a figure with its crossings. @throws Refused where there is none */
export async function deleteFigure(db: Queryable, name: string): Promise<void> {
  await db.query('select rappel.next_generation()')
  if ((await touch(db, 'delete from rappel.figure where name = $1', [name])) === 0) throw new Refused('not found', `There is no figure called ${JSON.stringify(name)}.`)
}
