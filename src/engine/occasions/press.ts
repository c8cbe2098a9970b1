import type { Pool } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import { type AnswerProblem, readAnswers } from '@/core/cues/answers'
import { pressedPer } from '@/core/cues/by-hand'
import { cueOf } from '@/core/cues/kinds'
import { type Occasion, type PressOccasion, pressOccasion } from '@/core/cues/occasion'
import type { Workflow } from '@/core/document/document'
import type { Standing } from '@/core/figures/crossing'
import { readId } from '@/core/values/parse'
import { type Image, type RecordId, type Stored, titleOf } from '@/core/values/tables'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import { nothing } from '@/core/workflow/plan'
import type { Surroundings } from '@/core/workflow/surroundings'
import { type Queryable, transaction } from '@/store/database'
import { standingsOf } from '@/store/figures/standing'
import { keepPress, readPress, wake } from '@/store/presses'
import { Refused } from '@/store/problems'
import { readRecords } from '@/store/records'
import { insertRuns, type NewRun } from '@/store/runs'
import { APART, Stopwatch } from '../apart/patience'
import { gateDry } from '../limits/known'
import { runOf } from '../persist'
import { decidingOnly, type LiveWorkflow } from '../program'
import { type Settled, settle } from '../settle'

/** Most records that one press may be for. */
export const MOST_PRESSED = 10_000

/** A press as it is asked for: its id, made by whoever presses, the records, and the answers. */
export interface PressAsked {
  readonly press: string
  readonly records: readonly RecordId[]
  /** The groups of a figure, per `group`; null for blank, and where it has none. */
  readonly groups?: readonly Stored[]
  readonly asked: unknown
  readonly by: ChangedBy
  readonly at: Date
}

/** What one press comes to for one record, or as a whole. */
export interface Pressed {
  readonly occasion: PressOccasion
  readonly title: string
  readonly settled: Settled
}

/** What a press comes to, with what was dropped of its answers; or what is wrong with it, or the records that are not there. */
export type PressTried =
  | { readonly pressed: readonly Pressed[]; readonly notes: readonly string[] }
  | { readonly problems: readonly AnswerProblem[] }
  | { readonly missing: readonly RecordId[] }
  | { readonly missingGroups: readonly Stored[] }

/** Works out what a press would do: all of it, or with `deciding` only for which records it runs. Nothing is sent or written. */
export async function tryPress(
  db: Queryable,
  workflow: Workflow,
  { press, records, groups = [], asked, by, at }: PressAsked,
  surroundings: Surroundings,
  deciding: boolean,
): Promise<PressTried> {
  const cue = cueOf(workflow, 'by hand')
  const answers = readAnswers(cue.ask ?? [], asked, surroundings.people)
  if ('problems' in answers) return answers
  const per = pressedPer(cue)
  const table = surroundings.schema.get(workflow.table)
  const ids = per === 'none' || per === 'group' ? [] : [...new Set(records.map((id) => (table && readId(table, id)) ?? id))]
  const wrong = wrongNumber(per, per === 'group' ? groups : ids)
  if (wrong) return { problems: [wrong] }
  const images = await readRecords(db, workflow.table, ids)
  const missing = ids.filter((id) => !images.has(String(id)))
  if (missing.length) return { missing }
  const compiled = compileWorkflow(deciding ? decidingOnly(workflow) : workflow, surroundings)
  const common = { press, table: workflow.table, per, at, by, asked: answers.asked }
  const keys = groups.map((group) => JSON.stringify(group))
  const standings = per === 'group' ? await standingsOf(db, cue.over?.figure ?? '', keys) : new Map<string, Standing>()
  const missingGroups = per === 'group' ? groups.filter((_, i) => !standings.has(keys[i] ?? '')) : []
  if (missingGroups.length) return { missingGroups }
  const occasions =
    per === 'group'
      ? [...standings.values()].map((standing) => pressOccasion({ ...common, standing }))
      : per === 'record'
        ? ids.map((id) => pressOccasion({ ...common, image: images.get(String(id)) ?? {} }))
        : [pressOccasion({ ...common, records: ids })]
  const candidates = occasions.map((occasion) => ({ compiled, occasion }))
  const settled = await settle(db, candidates, false, { setting: surroundings, dry: true }, { stopwatch: new Stopwatch(APART) })
  const title = (image: Image | null) => (image ? titleOf(compiled.table, image) : compiled.table.label)
  const pressed = occasions.map((occasion, i) => {
    const outcome = settled[i] ?? { fault: 'Nothing came of it.' }
    const whose = 'plan' in outcome ? outcome.plan.whose : undefined
    return { occasion, title: occasion.standing ? (whose ?? String(occasion.standing.group ?? occasion.standing.value ?? '')) : title(occasion.after), settled: outcome }
  })
  return { pressed: deciding ? pressed : await throughLimits(db, pressed, workflow, surroundings), notes: answers.notes }
}

/** What limits let through of a press that is tried. */
async function throughLimits(db: Queryable, pressed: readonly Pressed[], workflow: Workflow, { organisation }: Surroundings): Promise<Pressed[]> {
  const dry = pressed.flatMap(({ occasion, settled }) => ('plan' in settled ? [{ occasion, plan: settled.plan }] : []))
  const plans = await gateDry(db, dry, workflow, organisation)
  return pressed.map((one) => {
    const plan = plans[dry.findIndex((d) => d.occasion === one.occasion)]
    return plan ? { ...one, settled: { plan } } : one
  })
}

function wrongNumber(per: PressOccasion['per'], ids: readonly unknown[]): AnswerProblem | null {
  if (per === 'group' && ids.length === 0)
    return { code: 'no group', path: '/groups', message: 'No group is chosen. Give groups, a list of their values; null for the one of a figure without groups.' }
  if (per !== 'none' && ids.length === 0) return { code: 'no record', path: '/records', message: 'No record is chosen. Give records, a list of their ids.' }
  return ids.length > MOST_PRESSED
    ? { code: 'too many', path: '/records', message: `${ids.length} ${per === 'group' ? 'groups' : 'records'} are chosen; at most ${MOST_PRESSED} can be run for at once.` }
    : null
}

/** A workflow that is live and run by hand. */
export interface LiveByHand {
  readonly id: number
  readonly name: string
  readonly version: number
}

/** The runs of a press that was kept before; null where there was none. @throws Refused where it was of another workflow or by somebody else */
export async function runsBefore(db: Queryable, { id }: Pick<LiveByHand, 'id'>, press: string, person: number | null): Promise<readonly number[] | null> {
  const kept = await readPress(db, press)
  if (!kept) return null
  if (kept.workflow !== id || kept.person !== person)
    throw new Refused('conflict', 'This press has been made already, for another workflow or by somebody else. Make a new id for each press.')
  return kept.runs
}

/** Keeps a press with its runs, which a worker then does; a press that was kept before gives its runs again. Answers the runs' ids. */
export async function keepPressed(pool: Pool, live: LiveByHand, asked: PressAsked, pressed: readonly Pressed[]): Promise<readonly number[]> {
  return transaction(pool, async (db) => {
    const first = pressed[0]
    const isNew = await keepPress(db, {
      id: asked.press,
      workflow: live.id,
      version: live.version,
      by: asked.by,
      asked: first?.occasion.asked ?? {},
      records: first?.occasion.per === 'group' ? (asked.groups ?? []).map((group) => JSON.stringify(group)) : asked.records,
      at: asked.at,
    })
    if (!isNew) return (await runsBefore(db, live, asked.press, asked.by.person)) ?? []
    const runs = pressed.filter(({ settled }) => 'fault' in settled || settled.plan.fires)
    const ids = await insertRuns(
      db,
      runs.map(({ occasion, title }) => waitingRun({ workflow: live.id, name: live.name, version: live.version }, occasion, title, asked.at)),
    )
    await wake(db)
    return [...ids.values()].sort((a, b) => a - b)
  })
}

/** A run that was asked for and is to be worked out by a worker. */
export function waitingRun(live: Pick<LiveWorkflow, 'workflow' | 'name' | 'version' | 'trial'>, occasion: Occasion, title: string, now: Date): NewRun {
  const chain = [{ workflow: live.workflow, name: live.name, table: occasion.table, record: occasion.record }]
  const plan: Plan = nothing('not looked at', '')
  return { ...runOf({ live, occasion, title, settled: { plan }, chain }, now), state: 'waiting' as const, why: 'It was asked for and is about to run.', next_at: now, attempt: 0 }
}
