import { group } from 'd3'
import type { Change } from '@/core/changes/change'
import { type StayOccasion, stayKey, stayOccasion } from '@/core/cues/occasion'
import { must } from '@/core/must'
import { after, type Duration } from '@/core/values/duration'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { staysSo } from '@/core/workflow/judge'
import type { Queryable } from '@/store/database'
import { changesAfter, positionsAt } from '@/store/history'
import type { Past, Question } from './past'

/** What became of conditions that became true at a change: they stayed so until they were due, a change broke them, or they still wait. */
export type Fate =
  | { readonly kind: 'stayed'; readonly began: Change; readonly occasion: StayOccasion; readonly position: number }
  | { readonly kind: 'broken'; readonly began: Change; readonly by: Change }
  | { readonly kind: 'waiting'; readonly began: Change; readonly due: Date }

/** Becomings true that are followed at once. */
const AT_ONCE = 300

/** Follows conditions that became true at changes through the log: each change of their record in between is judged with data as it stood. Answers in their order. */
export async function followThrough(db: Queryable, past: Past, compiled: CompiledWorkflow, stays: Duration, began: readonly Change[], until: Date): Promise<Fate[]> {
  const fates: Fate[] = []
  for (let i = 0; i < began.length; i += AT_ONCE) fates.push(...(await followSome(db, past, compiled, stays, began.slice(i, i + AT_ONCE), until)))
  return fates
}

async function followSome(db: Queryable, past: Past, compiled: CompiledWorkflow, stays: Duration, began: readonly Change[], until: Date): Promise<Fate[]> {
  const { table, surroundings } = compiled
  const due = began.map((change) => after(change.at, stays, surroundings.organisation.zone))
  const last = new Date(Math.min(until.getTime(), Math.max(...due.map((d) => d.getTime()))))
  const records = [...new Set(began.map((c) => c.record))]
  const later = await changesAfter(db, surroundings.schema, table.name, records, Math.min(...began.map((c) => c.id)), last)
  const byRecord = group(later, (c) => c.record)
  const between = began.map((change, i) => (byRecord.get(change.record) ?? []).filter((c) => c.id > change.id && c.at < must(due[i])))
  const questions = between.flatMap((changes) => changes.map((change): Question<boolean> => ({ at: change.at, change, ask: (lookups) => staysSo(compiled, change, lookups) })))
  const judged = await past.ask(questions)
  const positions = await positionsAt(
    db,
    due.filter((d) => d <= until),
  )
  let at = 0
  return began.map((change, i): Fate => {
    const own = must(between[i])
    const holds = own.map(() => judged[at++])
    const broke = holds.indexOf(false)
    const by = own[broke]
    if (by) return { kind: 'broken', began: change, by }
    const over = must(due[i])
    if (over > until) return { kind: 'waiting', began: change, due: over }
    const image = own.at(-1)?.after ?? change.after ?? {}
    const occasion = stayOccasion({ key: stayKey(change.id), table: table.name, record: change.record, change, since: change.at, due: over, by: change.by, image })
    return { kind: 'stayed', began: change, occasion, position: positions.get(over.getTime()) ?? change.id }
  })
}

/** What became of all that became true, counted, with the newest of each. */
export interface StaysTold {
  readonly began: number
  readonly stayed: number
  readonly broken: number
  readonly waiting: number
  /** What broke them most often, as the fields that changed. */
  readonly brokenBy: readonly { readonly fields: readonly string[]; readonly count: number }[]
}

/** Of a fate, what is counted. */
type Counted = { readonly kind: 'stayed' | 'waiting' } | { readonly kind: 'broken'; readonly by: Pick<Change, 'kind' | 'changed'> }

/** Counts fates; `stayed` are those that fired when their time was over. */
export function toldStays(fates: readonly Counted[], stayed: number): StaysTold {
  const broken = fates.flatMap((f) => (f.kind === 'broken' ? [f] : []))
  const counts = new Map<string, { fields: readonly string[]; count: number }>()
  for (const { by } of broken) {
    const key = by.kind === 'deleted' ? 'deleted' : by.changed.join(' ')
    const seen = counts.get(key) ?? { fields: by.kind === 'deleted' ? ['deleted'] : by.changed, count: 0 }
    counts.set(key, { ...seen, count: seen.count + 1 })
  }
  return {
    began: fates.length,
    stayed,
    broken: broken.length,
    waiting: fates.filter((f) => f.kind === 'waiting').length,
    brokenBy: [...counts.values()].sort((a, b) => b.count - a.count).slice(0, 5),
  }
}
