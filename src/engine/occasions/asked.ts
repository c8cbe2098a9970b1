import { completeChange, readTyped, type TypedProblem, type TypedSetting } from '@/core/changes/typed'
import { readAnswers } from '@/core/cues/answers'
import { pressedPer } from '@/core/cues/by-hand'
import { changeOccasion, type Occasion, pressOccasion, tickOccasion } from '@/core/cues/occasion'
import type { ByHandCue, Example, TimetableCue, Workflow } from '@/core/document/document'
import { needKey } from '@/core/paths/lookups'
import { isInstant } from '@/core/values/dates'
import { readId } from '@/core/values/parse'
import type { Image, RecordId, TableDef } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { loadNeeds } from '@/store/lookups'
import type { Load } from '../settle'

/** What is asked to be tried: a change, or another occasion that fits the workflow's cue. */
export interface Asked {
  readonly change?: Example['change'] | Readonly<Record<string, unknown>>
  readonly occasion?: Example['occasion'] | Readonly<Record<string, unknown>>
}

/** Reads the occasion that a dry run or an example is of, records as they are now or as they are loaded otherwise; or everything that is wrong in it. */
export async function readAsked(
  db: Queryable,
  workflow: Workflow,
  { change, occasion }: Asked,
  surroundings: Surroundings,
  setting: TypedSetting,
  load?: Load,
): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  const table = surroundings.schema.get(workflow.table)
  if (!table) throw new Error(`There is no table ${workflow.table}.`)
  const { cue } = workflow
  if (cue.kind === 'record' || (change !== undefined && occasion === undefined)) {
    if (change === undefined) return problem('/change', 'A change is to be tried: give change.')
    const read = readTyped({ ...change }, table, setting)
    if ('problems' in read) return { problems: read.problems.map((p) => ({ ...p, path: `/change${p.path}` })) }
    return { occasion: changeOccasion(completeChange(table, read.typed)) }
  }
  const given: Readonly<Record<string, unknown>> = { ...occasion }
  const fits = cue.kind === 'timetable' ? 'tick' : 'press'
  if (given.kind !== fits)
    return problem('/occasion/kind', `The workflow’s cue is ${cue.kind === 'timetable' ? 'a timetable' : cue.kind}; what is tried of it is { kind: '${fits}', … }.`)
  const world: World = {
    record: async (id) => {
      const need = { kind: 'record' as const, table: table.name, id }
      const loaded = new Map<string, unknown>()
      await (load ? load([need], loaded) : loadNeeds(db, [need], loaded, { setting: surroundings, dry: true }))
      return (loaded.get(needKey(need)) as Image | null | undefined) ?? null
    },
    table,
    setting,
  }
  return cue.kind === 'timetable' ? readTick(cue, given, world) : readPress(cue as ByHandCue, given, world)
}

interface World {
  readonly record: (id: RecordId) => Promise<Image | null>
  readonly table: TableDef
  readonly setting: TypedSetting
}

const problem = (path: string, message: string, code = 'wrong shape'): { problems: TypedProblem[] } => ({ problems: [{ code, path, message }] })

async function readTick(
  cue: TimetableCue,
  given: Readonly<Record<string, unknown>>,
  { record, table, setting }: World,
): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  if (given.at !== undefined && !(typeof given.at === 'string' && isInstant(given.at)))
    return problem('/occasion/at', 'at is a date-time with its offset (ISO 8601).', 'wrong type')
  const at = given.at ? new Date(String(given.at)) : setting.at
  if (cue.per === 'owner') {
    const owner = typeof given.owner === 'string' ? setting.people.get(given.owner.trim().toLowerCase()) : undefined
    if (owner === undefined) return problem('/occasion/owner', 'It runs once for each owner: give owner, the e-mail of somebody who is there.', 'unknown person')
    return { occasion: tickOccasion({ table: table.name, per: 'owner', at, owner }) }
  }
  if (cue.per !== 'record') return { occasion: tickOccasion({ table: table.name, per: 'all', at }) }
  const id = readId(table, given.record)
  const image = id === null ? null : await record(id)
  if (!image) return problem('/occasion/record', `It runs once for each ${table.singular}: give record, the id of one that is there.`, 'not found')
  return { occasion: tickOccasion({ table: table.name, per: 'record', at, image, fitted: false }) }
}

async function readPress(
  cue: ByHandCue,
  given: Readonly<Record<string, unknown>>,
  { record, table, setting }: World,
): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  const answers = readAnswers(cue.ask ?? [], given.asked, setting.people)
  if ('problems' in answers) return { problems: answers.problems.map((p) => ({ ...p, path: `/occasion${p.path}` })) }
  const per = pressedPer(cue)
  const common = { press: 'tried', table: table.name, per, at: setting.at, by: setting.by, asked: answers.asked }
  const records = (Array.isArray(given.records) ? given.records : [given.record]).map((id) => readId(table, id)).filter((id) => id !== null)
  if (per !== 'record') return { occasion: pressOccasion({ ...common, records }) }
  const image = records[0] === undefined ? null : await record(records[0])
  if (!image) return problem('/occasion/records', `It is run on a ${table.singular}: give records, the ids of some that are there.`, 'not found')
  return { occasion: pressOccasion({ ...common, image }) }
}
