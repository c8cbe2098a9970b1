import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { readCron, ticksBetween } from '@/core/cues/cron'
import { cueOf } from '@/core/cues/kinds'
import { type TickOccasion, tickOccasion } from '@/core/cues/occasion'
import type { TimetableCue } from '@/core/document/document'
import { must } from '@/core/must'
import { aliveLines } from '@/core/rehearsal/lines'
import { Rehearsing } from '@/core/rehearsal/tally'
import { type Image, idOf, PERSON_TABLE, type RecordId, type TableDef } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import { fittingAt } from '@/core/workflow/judge'
import type { Queryable } from '@/store/database'
import { countFitting } from '@/store/fitting'
import { positionsAt, type Span } from '@/store/history'
import { countRecords } from '@/store/records'
import { narrowedGroups, rehearseGroups } from '../figures/groups'
import { samplePlaceholders } from '../placeholders'
import { lateIn } from './late'
import { limitingFor } from './limiting'
import { NotRehearsed } from './not-rehearsed'
import { Past } from './past'
import type { PastTick, Rehearsal, RehearsalOptions } from './result'
import { standing } from './standing'

/** Moments that are gone through at most, the newest; how many more there were is said. */
const MOST_TICKS = 400

/** Moments of a timetable in a span, the records that fitted at each as they stood then, and what would have run; nothing is sent or written. */
export async function rehearseTicks(db: Pool, compiled: CompiledWorkflow, { span, samples, signal, progress }: RehearsalOptions): Promise<Rehearsal> {
  const { table, surroundings, workflow } = compiled
  const cue = cueOf(workflow, 'timetable')
  const read = readCron(cue.cron)
  if ('problem' in read) throw new NotRehearsed(read.problem.message)
  const all = ticksBetween(read.cron, span.from, span.to, surroundings.organisation.zone)
  const ticks = all.slice(-MOST_TICKS)
  const past = new Past(db, { setting: surroundings, dry: true })
  const start = all.length > ticks.length ? must(ticks[0]) : span.from
  if (cue.per === 'group') return rehearseGroups(db, compiled, { ticks, all: all.length, start, past }, { span, samples, signal, progress, live: null })
  const positions = await positionsAt(db, [start, ...ticks])
  const at = (moment: Date) => positions.get(moment.getTime()) ?? 0
  const fitting = async (moment: Date) => (await past.ask([{ at: moment, position: at(moment), ask: (lookups) => fittingAt(compiled, moment, lookups) }]))[0] ?? []
  const rehearsing = new Rehearsing(named(cue, table), surroundings.organisation.zone, samples, await limitingFor(db, compiled))
  const outlined = compileWorkflow(workflow, { ...surroundings, outline: true })
  let before = new Set(cue.per === 'record' && workflow.firing !== 'every' ? (await fitting(start)).map((image) => idOf(image)) : [])
  const told: PastTick[] = []
  const fired: Image[] = []
  for (const [i, tick] of ticks.entries()) {
    signal?.throwIfAborted()
    const images = await fitting(tick)
    const occasions = occasionsOf(compiled, cue, tick, images, before)
    const settled = await past.settleAt(
      rehearsing.wantsSamples() ? compiled : outlined,
      occasions.map((occasion) => ({ occasion, position: at(tick) })),
      false,
    )
    let [firings, messages] = [0, 0]
    for (const [n, occasion] of occasions.entries()) {
      const outcome = must(settled[n])
      const stand = standIn(occasion, await ownerOf(past, occasion, at(tick)))
      if ('fault' in outcome) rehearsing.addFailure(stand, outcome.fault)
      else if (outcome.plan.fires) {
        rehearsing.add(stand, outcome.plan)
        messages += (outcome.plan satisfies Plan).messages.length
        if (occasion.after) fired.push(occasion.after)
      } else continue
      firings++
    }
    told.push({ at: tick, fit: images.length, firings, messages })
    if (workflow.firing !== 'every') before = new Set(images.map(idOf))
    progress?.((i + 1) / ticks.length)
  }
  const result = rehearsing.result()
  const values = await samplePlaceholders(
    db,
    surroundings.schema,
    surroundings.organisation,
    table,
    fired.slice(-500).map((image) => standing(image)),
    null,
  )
  return {
    ...(await narrowedNow(db, compiled, span)),
    ...result,
    firings: result.firings,
    blanks: fired.length ? values.filter((v) => v.blank > 0).map(({ path, blank }) => ({ placeholder: path, count: Math.round(blank * fired.length), share: blank })) : [],
    late: await lateIn(db, compiled, span),
    overlaps: [],
    compared: null,
    ticks: { all: all.length, told: told.reverse() },
  }
}

/** How many records are alive at each line of a timetable's conditions as they stand now. */
export async function narrowedNow(db: Queryable, compiled: CompiledWorkflow, span: Span) {
  const { table, workflow, surroundings, cue } = compiled
  if ('per' in cue && cue.per === 'group') return narrowedGroups(db, compiled, span)
  const at = new Date()
  const count = (where: Parameters<typeof countFitting>[1]['where']) => countFitting(db, { table, setting: surroundings, where, at }).catch(() => null)
  const records = await countRecords(db, table, surroundings, undefined)
  const survivors: { path: string; count: number }[] = []
  for (const { path, alive } of workflow.conditions ? aliveLines(workflow.conditions) : []) {
    const found = await count(alive)
    if (found !== null) survivors.push({ path, count: found })
  }
  return { span, changes: records, first: null, cued: records, survivors, firings: 0, heldBefore: 0 }
}

/** What is rehearsed for at a moment: the records that came to fit, each owner of some, or all. */
function occasionsOf({ table }: CompiledWorkflow, { per }: TimetableCue, at: Date, images: readonly Image[], before: ReadonlySet<RecordId>): TickOccasion[] {
  if (per === 'record') return images.filter((image) => !before.has(idOf(image))).map((image) => tickOccasion({ table: table.name, per, at, image, fitted: false }))
  if (per !== 'owner') return [tickOccasion({ table: table.name, per: 'all', at })]
  const owners = new Set(images.map((image) => image[table.ownerField ?? '']).filter((id) => id !== null && id !== undefined))
  return [...owners].map((owner) => tickOccasion({ table: table.name, per, at, owner: Number(owner) }))
}

/** What a tick is pointed at by: its record, its owner, or all. */
const named = ({ per }: TimetableCue, table: TableDef): TableDef => (per === 'owner' ? PERSON_TABLE : per === 'record' ? table : { ...table, titleField: 'label' })

async function ownerOf(past: Past, { owner, at }: TickOccasion, position: number): Promise<Image | null> {
  if (owner === null) return null
  return (await past.ask([{ at, position, ask: (lookups) => lookups.record('person', owner) }]))[0] ?? null
}

const standIn = (occasion: TickOccasion, owner: Image | null): Change => standing(occasion.after ?? owner ?? { label: 'all that fit' }, occasion.at)
