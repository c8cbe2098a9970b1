import { completeChange, readTyped, type TypedProblem, type TypedSetting } from '@/core/changes/typed'
import { readAnswers } from '@/core/cues/answers'
import { pressedPer } from '@/core/cues/by-hand'
import { changeOccasion, crossingOccasion, type Occasion, pressOccasion, tickOccasion } from '@/core/cues/occasion'
import type { ByHandCue, Example, FigureCue, TimetableCue, Workflow } from '@/core/document/document'
import { beyond, type Standing, saidValue } from '@/core/figures/crossing'
import { figureOf } from '@/core/figures/of-table'
import { needKey } from '@/core/paths/lookups'
import { isInstant } from '@/core/values/dates'
import { readId } from '@/core/values/parse'
import type { Image, RecordId, Stored, TableDef } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { standingsOf } from '@/store/figures/standing'
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
  const fits = cue.kind === 'timetable' ? 'tick' : cue.kind === 'figure' ? 'crossing' : 'press'
  if (given.kind !== fits)
    return problem(
      '/occasion/kind',
      `The workflow’s cue is ${cue.kind === 'timetable' ? 'a timetable' : cue.kind === 'figure' ? 'a figure' : cue.kind}; what is tried of it is { kind: '${fits}', … }.`,
    )
  const world: World = {
    standing: async (figure, grp) => (await standingsOf(db, figure, [grp])).get(grp) ?? null,
    record: async (id) => {
      const need = { kind: 'record' as const, table: table.name, id }
      const loaded = new Map<string, unknown>()
      await (load ? load([need], loaded) : loadNeeds(db, [need], loaded, { setting: surroundings, dry: true }))
      return (loaded.get(needKey(need)) as Image | null | undefined) ?? null
    },
    table,
    setting,
  }
  if (cue.kind === 'figure') return readCrossing(cue, given, world)
  return cue.kind === 'timetable' ? readTick(cue, given, world) : readPress(cue, given, world)
}

interface World {
  /** A group of a figure (JSON) as it stands now; null where the figure does not have it. */
  readonly standing: (figure: string, grp: string) => Promise<Standing | null>
  readonly record: (id: RecordId) => Promise<Image | null>
  readonly table: TableDef
  readonly setting: TypedSetting
}

const problem = (path: string, message: string, code = 'wrong shape'): { problems: TypedProblem[] } => ({ problems: [{ code, path, message }] })

async function readTick(cue: TimetableCue, given: Readonly<Record<string, unknown>>, world: World): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  const { record, table, setting } = world
  if (given.at !== undefined && !(typeof given.at === 'string' && isInstant(given.at)))
    return problem('/occasion/at', 'at is a date-time with its offset (ISO 8601).', 'wrong type')
  const at = given.at ? new Date(String(given.at)) : setting.at
  if (cue.per === 'owner') {
    const owner = typeof given.owner === 'string' ? setting.people.get(given.owner.trim().toLowerCase()) : undefined
    if (owner === undefined) return problem('/occasion/owner', 'It runs once for each owner: give owner, the e-mail of somebody who is there.', 'unknown person')
    return { occasion: tickOccasion({ table: table.name, per: 'owner', at, owner }) }
  }
  if (cue.per === 'group') {
    const found = await groupOf(cue.over, given.group, '/occasion/group', world)
    return 'problems' in found ? found : { occasion: tickOccasion({ table: table.name, per: 'group', at, standing: found.standing, fitted: false }) }
  }
  if (cue.per !== 'record') return { occasion: tickOccasion({ table: table.name, per: 'all', at }) }
  const id = readId(table, given.record)
  const image = id === null ? null : await record(id)
  if (!image) return problem('/occasion/record', `It runs once for each ${table.singular}: give record, the id of one that is there.`, 'not found')
  return { occasion: tickOccasion({ table: table.name, per: 'record', at, image, fitted: false }) }
}

async function readPress(cue: ByHandCue, given: Readonly<Record<string, unknown>>, world: World): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  const { record, table, setting } = world
  const answers = readAnswers(cue.ask ?? [], given.asked, setting.people)
  if ('problems' in answers) return { problems: answers.problems.map((p) => ({ ...p, path: `/occasion${p.path}` })) }
  const per = pressedPer(cue)
  const common = { press: 'tried', table: table.name, per, at: setting.at, by: setting.by, asked: answers.asked }
  if (per === 'group') {
    const found = await groupOf(cue.over, Array.isArray(given.groups) ? given.groups[0] : given.group, '/occasion/groups', world)
    return 'problems' in found ? found : { occasion: pressOccasion({ ...common, standing: found.standing }) }
  }
  const records = (Array.isArray(given.records) ? given.records : [given.record]).map((id) => readId(table, id)).filter((id) => id !== null)
  if (per !== 'record') return { occasion: pressOccasion({ ...common, records }) }
  const image = records[0] === undefined ? null : await record(records[0])
  if (!image) return problem('/occasion/records', `It is run on a ${table.singular}: give records, the ids of some that are there.`, 'not found')
  return { occasion: pressOccasion({ ...common, image }) }
}

/** A group of a figure by its value, as it stands; without a value the one that a figure without groups has. */
async function groupOf(over: { figure: string } | undefined, value: unknown, path: string, { standing }: World): Promise<{ standing: Standing } | { problems: TypedProblem[] }> {
  const figure = over?.figure ?? ''
  const found = await standing(figure, JSON.stringify(value ?? null))
  return found ? { standing: found } : problem(path, `It runs once for each group of ${figure}: give the value of one that is there.`, 'not found')
}

/** A crossing of a threshold: of which group, to which value, and from which; the records behind it are counted as they are now. */
async function readCrossing(cue: FigureCue, given: Readonly<Record<string, unknown>>, world: World): Promise<{ occasion: Occasion } | { problems: TypedProblem[] }> {
  const { table, setting, standing } = world
  if (given.at !== undefined && !(typeof given.at === 'string' && isInstant(given.at)))
    return problem('/occasion/at', 'at is a date-time with its offset (ISO 8601).', 'wrong type')
  const figure = figureOf(table, cue.figure)
  const threshold = figure?.definition.thresholds?.find((t) => t.name === cue.threshold)
  if (!figure || !threshold) return problem('/occasion', `${cue.figure} has no threshold ${JSON.stringify(cue.threshold)} that could be crossed.`, 'unknown threshold')
  const { value, before = null, group = null } = given
  if (!isNumber(value)) return problem('/occasion/value', 'Say what the figure comes to: value, a number.', 'wrong type')
  if (before !== null && !isNumber(before)) return problem('/occasion/before', 'before is the number that the figure comes from, or null for blank.', 'wrong type')
  if (!isStored(group)) return problem('/occasion/group', 'group is the value of a group, such as the id of a record.', 'wrong type')
  if (group !== null && !figure.grouping) return problem('/occasion/group', `${cue.figure} has no groups; leave group out.`, 'no groups')
  const lineNow = typeof threshold.value === 'number' ? threshold.value : Number((await lineOf(threshold.value.figure, group, world)) ?? Number.NaN)
  if (Number.isNaN(lineNow)) return problem('/occasion/group', 'The figure that the threshold is at is blank there now, so nothing can cross it.', 'blank line')
  const [from, to] = [before === null ? null : String(before), String(value)]
  if (beyond(threshold, lineNow, from))
    return problem('/occasion/before', `${from} is ${threshold.when} ${lineNow} already, so nothing is crossed. Give a value before that is not.`, 'no crossing')
  if (!beyond(threshold, lineNow, to)) return problem('/occasion/value', `${to} is not ${threshold.when} ${lineNow}, so nothing is crossed.`, 'no crossing')
  const now = await standing(cue.figure, JSON.stringify(group))
  const crossing = { figure: cue.figure, threshold: cue.threshold, line: lineNow, group, before: saidValue(from), value: saidValue(to), count: now?.count ?? 0 }
  return { occasion: crossingOccasion({ id: 'tried', table: table.name, at: given.at ? new Date(String(given.at)) : setting.at, by: setting.by, crossing }) }
}

const isStored = (value: unknown): value is Stored => value === null || ['string', 'number', 'boolean'].includes(typeof value)

const isNumber = (value: unknown): value is number => typeof value === 'number' && Number.isFinite(value)

const lineOf = async (figure: string, group: Stored, { standing }: World) => ((await standing(figure, JSON.stringify(group))) ?? (await standing(figure, 'null')))?.value ?? null
