import type { Change } from '@/core/changes/change'
import { stayKey, stayOccasion } from '@/core/cues/occasion'
import { must } from '@/core/must'
import type { Lookups } from '@/core/paths/lookups'
import { after } from '@/core/values/duration'
import type { Image } from '@/core/values/tables'
import { staysSo } from '@/core/workflow/judge'
import { readChanges } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { beginStays, type EndedStay, endStays, type NewStay, openStays, statesAt } from '@/store/stays'
import type { Pair } from '../fire'
import type { Firing } from '../persist'
import type { LiveWorkflow, Program } from '../program'
import { ask } from '../settle'
import type { Versions } from './versions'

/** A wait while the changes of a batch are gone through: one that is kept already, or one that began in this batch. */
export interface Following {
  readonly stay: NewStay & { readonly id?: number }
  outcome: EndedStay['outcome'] | null
  endedAt: Date | null
  endedBy: number | null
  /** Set where its time was over before a later change of the batch came. */
  pair: Pair | null
}

/** A wait as it is before anything ends it. */
export const following = (stay: Following['stay']): Following => ({ stay, outcome: null, endedAt: null, endedBy: null, pair: null })

/** What following changes came to: waits that are over by then, to be decided about, and how to write all of it down when that is done. */
export interface Followed {
  readonly pairs: readonly Pair[]
  readonly close: (firings: readonly Firing[]) => Promise<void>
}

/** The wait that begins where conditions became true. */
export function stayOf({ live, occasion, title }: Firing, zone: string): NewStay | null {
  const { change } = occasion
  if (!change || !live.stays) return null
  return {
    workflow: live.workflow,
    version: live.version,
    trial: live.trial?.id ?? null,
    key: stayKey(change.id),
    change_id: change.id,
    tbl: change.table,
    rec: change.record,
    title,
    by: change.by,
    since: change.at,
    due_at: live.trial ? change.at : after(change.at, live.stays, zone), // whoever tries a draft does not wait for days
  }
}

/**
 * Follows a batch of changes, in order, with what is to stay so: each may end the waits of its record and begin others. `begun` are the firings of workflows that wait.
 * Whoever calls holds the shard.
 */
export async function followStays(db: Queryable, program: Program, changes: readonly Change[], begun: readonly Firing[], versions: Versions): Promise<Followed> {
  const open = await openOf(db, changes)
  if (open.size === 0 && begun.length === 0) return { pairs: [], close: async () => undefined }
  const all = [...open.values()].flat()
  const { zone } = program.surroundings.organisation
  for (const change of changes) {
    const waiting = open.get(`${change.table} ${change.record}`) ?? []
    await follow(
      db,
      program,
      change,
      waiting.filter((w) => !w.outcome && !w.pair),
      versions,
    )
    for (const firing of begun.filter((f) => f.occasion.change?.id === change.id)) {
      const stay = stayOf(firing, zone)
      const isWaiting = waiting.some((w) => !w.outcome && !w.pair && w.stay.workflow === stay?.workflow && w.stay.trial === stay.trial)
      if (!stay || isWaiting) continue
      const one = following(stay)
      waiting.push(one)
      all.push(one)
      open.set(`${change.table} ${change.record}`, waiting)
    }
  }
  return { pairs: all.flatMap((w) => w.pair ?? []), close: (firings) => close(db, all, firings) }
}

async function openOf(db: Queryable, changes: readonly Change[]): Promise<Map<string, Following[]>> {
  const open = new Map<string, Following[]>()
  const records = new Map(changes.map(({ table, record }) => [`${table} ${record}`, { table, record }]))
  for (const stay of await openStays(db, [...records.values()])) {
    const key = `${stay.tbl} ${stay.rec}`
    open.set(key, [...(open.get(key) ?? []), following(stay)])
  }
  return open
}

/** Follows one change: waits that were over before it are to be decided about as the record was then, others go on only where their conditions still hold. */
async function follow(db: Queryable, program: Program, change: Change, waiting: readonly Following[], versions: Versions): Promise<void> {
  const going: { one: Following; live: LiveWorkflow }[] = []
  const over: Due[] = []
  for (const one of waiting) {
    const live = await versions.get(db, program, one.stay)
    if (one.stay.due_at > change.at) going.push({ one, live })
    else over.push({ one, live, image: change.before })
  }
  await settleDue(db, program, over)
  const questions = going.map(
    ({ live }) =>
      (lookups: Lookups) =>
        !live.compiled || staysSo(live.compiled, change, lookups),
  )
  const judged = await ask(db, questions, { setting: program.surroundings, dry: true, inTransaction: true })
  going.forEach(({ one }, i) => {
    if (judged[i] === false) end(one, 'broken', change.at, change.id)
  })
}

export function end(one: Following, outcome: EndedStay['outcome'], at: Date, by: number | null = null): void {
  one.outcome = outcome
  one.endedAt = at
  one.endedBy = by
}

/** A wait that is over, with the record as it was then; null where it was gone. */
export interface Due {
  readonly one: Following
  readonly live: LiveWorkflow
  readonly image: Image | null
}

/** Sets what waits that are over are to be decided about, but for those whose record was gone and those that a pause let pass by. */
export async function settleDue(db: Queryable, { surroundings }: Program, due: readonly Due[]): Promise<void> {
  if (due.length === 0) return
  const states = await statesAt(
    db,
    due.map(({ one }) => ({ workflow: one.stay.workflow, at: one.stay.due_at })),
  )
  const changes = await readChanges(
    db,
    surroundings.schema,
    due.flatMap(({ one }) => one.stay.change_id ?? []),
  )
  due.forEach(({ one, live, image }, i) => {
    const { key, tbl, rec, change_id, since, due_at, by, trial } = one.stay
    if (!image) return end(one, 'did not fit', due_at)
    if (trial === null && states[i] === 'paused') return end(one, 'passed by', due_at)
    const change = change_id === null ? null : (changes.get(change_id) ?? null)
    one.pair = { live, occasion: stayOccasion({ key, table: tbl, record: rec, change, since, due: due_at, by, image }) }
  })
}

/** Writes down how waits ended, and those that go on. */
export async function close(db: Queryable, all: readonly Following[], firings: readonly Firing[]): Promise<void> {
  const fired = new Set(firings.map((f) => `${f.live.workflow} ${f.live.trial?.id ?? ''} ${f.occasion.key}`))
  for (const one of all) if (one.pair) end(one, fired.has(`${one.stay.workflow} ${one.stay.trial ?? ''} ${one.stay.key}`) ? 'fired' : 'did not fit', one.stay.due_at)
  await endStays(
    db,
    all.flatMap(({ stay, outcome, endedAt, endedBy }) => (stay.id !== undefined && outcome ? [{ id: stay.id, outcome, ended_at: must(endedAt), ended_by: endedBy }] : [])),
  )
  await beginStays(
    db,
    all.filter(({ stay }) => stay.id === undefined).map(({ stay, outcome, endedAt, endedBy }) => ({ ...stay, outcome, ended_at: endedAt, ended_by: endedBy })),
  )
}
