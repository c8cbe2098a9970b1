import type { ChangedBy } from '@/core/changes/change'
import type { Image, RecordId } from '@/core/values/tables'
import { many, maybeOne, type Queryable, touch } from './database'

/** One use of a workflow by hand. */
export interface Press {
  readonly id: string
  readonly workflow: number
  readonly version: number
  readonly by: ChangedBy
  readonly asked: Image
  readonly records: readonly RecordId[]
  readonly at: Date
}

/** Keeps a press; false where the same was kept before. */
export async function keepPress(db: Queryable, press: Press): Promise<boolean> {
  const count = await touch(db, 'insert into rappel.press (id, workflow, version, by, person, asked, records, at) values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict do nothing', [
    press.id,
    press.workflow,
    press.version,
    JSON.stringify(press.by),
    press.by.person,
    JSON.stringify(press.asked),
    JSON.stringify(press.records),
    press.at,
  ])
  return count === 1
}

/** A press that was kept before: of which workflow and by whom, and the runs that came of it; null where there was none. */
export async function readPress(db: Queryable, id: string): Promise<{ workflow: number; person: number | null; runs: number[] } | null> {
  const press = await maybeOne<{ workflow: number; person: number | null }>(db, 'select workflow, person from rappel.press where id = $1', [id])
  if (!press) return null
  const runs = await many<{ id: number }>(db, `select id from rappel.run where workflow = $1 and kind = 'press' and (key = $2 or key like $2 || ' %') order by id`, [
    press.workflow,
    `press ${id}`,
  ])
  return { ...press, runs: runs.map((r) => r.id) }
}

/** Wakes whoever works out what was asked for. */
export async function wake(db: Queryable): Promise<void> {
  await db.query(`select pg_notify('rappel_moment', '')`)
}
