import type { Pool } from 'pg'
import type { Change, ChangedBy } from '@/core/changes/change'
import { completeChange, type TypedProblem, type TypedSetting } from '@/core/changes/typed'
import { changeOccasion, type Occasion } from '@/core/cues/occasion'
import type { Saw, Workflow } from '@/core/document/document'
import { importWorkflow } from '@/core/document/exchange'
import type { Figure } from '@/core/document/figure'
import { readWorkflow } from '@/core/document/schema'
import { must } from '@/core/must'
import { runnable } from '@/core/rehearsal/runnable'
import { considerations } from '@/core/review/considerations'
import { type Finding, review } from '@/core/review/review'
import { reviewTemplate } from '@/core/review/template'
import type { Image, RecordId, TableDef } from '@/core/values/tables'
import { isBriefText } from '@/core/words/text/nodes'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import type { Template } from '@/core/workflow/surroundings'
import { heldTables } from '@/store/attach/follow'
import { hasChange } from '@/store/changes'
import type { Span } from '@/store/history'
import type { Replica } from '@/store/replica'
import { type Forecast, forecastBulk } from '../bulk/forecast'
import { type SampleRow, sampleRecord } from '../bulk/propose'
import type { Bulk } from '../bulk/write'
import { gatherEvidence, spanOfDays } from '../evidence'
import { gatherStanding } from '../evidence-standing'
import { type ExampleOutcome, frozenLoad, placeOf, runExamples } from '../examples'
import { breaksByFigure } from '../figures/breaks'
import { gatherCrossings } from '../figures/evidence'
import { pastOfFigure, type ReadPast } from '../figures/past'
import { importBriefText, readAnyWords, readInstallation } from '../installation'
import { type Asked, readAsked } from '../occasions/asked'
import { countFits } from '../occasions/fits'
import { type PressAsked, type PressTried, tryPress } from '../occasions/press'
import { forecastPassedBy, type PassedByForecast } from '../passed-by'
import { type Pasted, readPasted } from '../people/pasted'
import { readReviewSetting, readSurroundings, readWording } from '../program'
import { proposeFrom, type ToldProposals } from '../propose'
import type { MarksAsked } from '../propose-past'
import { type ReadMail, readMail } from '../read-mail'
import { type AtLine, lookAtLine } from '../rehearsal/at-line'
import { bare, rehearse } from '../rehearsal/rehearse'
import type { ReadRehearsal, RehearsalOptions } from '../rehearsal/result'
import { type Settled, settle } from '../settle'
import { evidenceAsJson } from '../shown-evidence'
import { type Tried, tryWorkflow } from '../try'
import { explainToEach, sayingWhatWasMissing } from '../why'
import { ALONE, Stopwatch } from './patience'

/** What a task is done with. */
export interface Room {
  readonly pool: Pool
  /** Where long reads of what has been are done. */
  readonly replica: Replica
  readonly baseUrl: string
  readonly signal: AbortSignal
  readonly progress: (done: number) => void
}

const around = ({ pool, baseUrl }: Room) => readSurroundings(pool, baseUrl)

/** Most messages of one plan that are handed on; how many more there are is noted. */
const MOST_SHOWN = 200

/** A plan as it is shown to people: of thousands of messages the first, and how many more there are. */
function forShowing(plan: Plan): Plan {
  const more = plan.messages.length - MOST_SHOWN
  if (more <= 0) return plan
  const note = { code: 'more messages', path: '/actions', message: `${more.toLocaleString('en')} more messages are not shown here.` }
  return { ...plan, messages: plan.messages.slice(0, MOST_SHOWN), notes: [...plan.notes, note] }
}

/** What is left of a plan that nobody looks at whole: whom its mail goes to. */
const withoutTexts = (settled: Settled): Settled =>
  'plan' in settled ? { plan: { ...settled.plan, messages: settled.plan.messages.map((m) => ({ ...m, html: '', text: '', attachments: [] })) } } : settled

const shownSettled = (settled: Settled): Settled => ('plan' in settled ? { plan: forShowing(settled.plan) } : settled)

/** What is done apart, by name: whatever evaluates, parses or goes through what people wrote. */
export const TASKS = {
  /** The findings about a workflow as things stand; `onlyTo` is the one address that it may write to, where it is a member's own; `was` the name that it is saved under. */
  review: async (room: Room, { workflow, onlyTo, was }: { workflow: Workflow; onlyTo: string | null; was?: string }): Promise<Finding[]> => {
    const read = await readReviewSetting(room.pool)
    const setting = { ...read, onlyTo, live: read.live?.filter((other) => other.name !== was) }
    return [...review(workflow, setting), ...considerations(workflow, setting)]
  },

  /** The live workflows that a figure as it is edited would break. */
  'breaks by figure': (room: Room, { figure }: { figure: Figure }) => breaksByFigure(room.pool, figure),

  /** A workflow document read from outside, or what breaches its shape. */
  read: async (_: Room, { input }: { input: unknown }) => readWorkflow(input),

  /** The findings about a template. */
  'review template': async (room: Room, { template }: { template: Template }): Promise<Finding[]> => reviewTemplate(template, await readReviewSetting(room.pool)),

  /** A workflow read from JSON, YAML, or its brief as text. */
  import: async (room: Room, { text }: { text: string }) => (isBriefText(text) ? importBriefText(text, await readInstallation(room.pool, null)) : importWorkflow(text)),

  /** People read from rows of a spreadsheet, or a list of addresses. */
  'read people': async (_: Room, { text }: { text: string }): Promise<Pasted> => readPasted(text),

  /** Words read into a workflow. */
  'read words': async (room: Room, { text, table, me }: { text: string; table: string | null; me: string | null }) =>
    readAnyWords(text, await readInstallation(room.pool, me), table),

  /** Conditions that agree with marks on past changes of a table; null where there is no such table. */
  propose: async (room: Room, { table, ...marks }: Omit<MarksAsked, 'table'> & { table: string }): Promise<ToldProposals | null> => {
    const [surroundings, wording] = await Promise.all([around(room), readWording(room.pool)])
    const known = surroundings.schema.get(table)
    return known && known.name !== 'person' ? room.replica.read((db) => proposeFrom(db, { ...marks, table: known }, surroundings, wording, room.signal)) : null
  },

  /** A dry run; with `asOf` on that moment's data. */
  try: async (
    room: Room,
    { workflow, asked, setting, asOf, saw }: { workflow: Workflow; asked: Asked; setting: Omit<TypedSetting, 'people'>; asOf: Date | null; saw?: Saw },
  ): Promise<(Tried & { readonly at: Date }) | { readonly problems: readonly TypedProblem[] }> => {
    const surroundings = await around(room)
    const load = asOf ? await frozenLoad(room.pool, asOf, saw, surroundings) : undefined
    const read = await readAsked(room.pool, workflow, asked, surroundings, { ...setting, people: surroundings.people }, load)
    if ('problems' in read) return read
    const now = await tryWorkflow(room.pool, workflow, read.occasion, surroundings, load)
    const position = asOf && (await placeOf(room.pool, asOf))
    const tried = position === null ? now : await sayingWhatWasMissing(room.pool, workflow, now, surroundings, position)
    return { ...('plan' in tried ? { ...tried, plan: forShowing(tried.plan) } : tried), at: read.occasion.at }
  },

  /** A dry run on a row of a file, as a record of a table that is not there yet; `before` overlays it. */
  'try proposed': async (
    room: Room,
    { workflow, table, row, before, by }: { workflow: Workflow; table: TableDef; row: SampleRow; before: Image | null; by: ChangedBy },
  ): Promise<Tried> => {
    const known = await around(room)
    const surroundings = { ...known, schema: new Map([...known.schema, [table.name, table]]) }
    const after = await sampleRecord(room.pool, row, surroundings.schema, surroundings.organisation.zone)
    const typed = { kind: before ? ('changed' as const) : ('created' as const), before: before && { ...after, ...before }, after, by, at: new Date() }
    return tryWorkflow(room.pool, workflow, changeOccasion(completeChange(table, typed)), surroundings)
  },

  /** Why a recorded change fires each of some workflows or not. */
  why: async (room: Room, { workflows, change }: { workflows: readonly Workflow[]; change: Change }): Promise<Settled[]> =>
    (
      await room.replica.read(
        async (db) => explainToEach(db, workflows, change, await around(room)),
        (db) => hasChange(db, change.id, change.table),
      )
    ).map(shownSettled),

  /** What the newest changes make of a draft, as JSON. */
  evidence: async (room: Room, asked: { workflow: Workflow; findings: readonly Finding[]; sample: RecordId | null; newest?: number; reach?: string }): Promise<string> => {
    const { workflow, findings, sample } = asked
    const isStanding = workflow.cue.kind === 'timetable' || workflow.cue.kind === 'by hand'
    const surroundings = await around(room)
    if (workflow.cue.kind === 'figure') return evidenceAsJson(room.pool, await gatherCrossings(room.pool, workflow, findings, surroundings, sample))
    const evidence = isStanding
      ? await gatherStanding(room.pool, workflow, findings, surroundings, sample)
      : await gatherEvidence(room.pool, workflow, findings, surroundings, sample, { newest: asked.newest, reach: asked.reach, signal: room.signal })
    return evidenceAsJson(room.pool, { ...evidence, plan: evidence.plan && forShowing(evidence.plan), preview: evidence.preview && forShowing(evidence.preview) })
  },

  /** A rehearsal of a draft. */
  rehearse: async (room: Room, asked: { workflow: Workflow; findings: readonly Finding[]; options: Omit<RehearsalOptions, 'signal' | 'progress'> }): Promise<ReadRehearsal> =>
    room.replica.read(async (db, behind) => {
      const options = { ...asked.options, signal: room.signal, progress: room.progress }
      return { ...(await rehearse(db, asked.workflow, asked.findings, await around(room), options)), behind }
    }),

  /** What many records written at once would come to and set off. */
  forecast: async (room: Room, { bulk, by }: { bulk: Bulk; by: ChangedBy }): Promise<Forecast> => {
    return forecastBulk(room.pool, bulk, by, room.baseUrl, { setting: await readReviewSetting(room.pool), signal: room.signal, progress: room.progress })
  },

  /** What a line of the conditions stopped and let on. */
  'at line': async (room: Room, asked: { workflow: Workflow; findings: readonly Finding[]; path: string; days: number }): Promise<AtLine | null> => {
    const compiled = bare(compileWorkflow(runnable(asked.workflow, asked.findings), await around(room)))
    return room.replica.read(async (db) => lookAtLine(db, compiled, await spanOfDays(db, asked.days), asked.path))
  },

  /** What a press would do; with `deciding` only for which records it runs. */
  press: async (room: Room, { workflow, asked, deciding }: { workflow: Workflow; asked: PressAsked; deciding: boolean }): Promise<PressTried> => {
    const tried = await tryPress(room.pool, workflow, asked, await around(room), deciding)
    if (!('pressed' in tried)) return tried
    return { ...tried, pressed: tried.pressed.map((one, i) => ({ ...one, settled: shownSettled(i < MOST_SHOWN ? one.settled : withoutTexts(one.settled)) })) }
  },

  /** What a figure, or a draft of one, went through. */
  'figure past': async (room: Room, asked: { figure: Figure; span: Span; group: string | null }): Promise<ReadPast> =>
    room.replica.read(async (db, behind) => ({ ...(await pastOfFigure(db, asked.figure, await around(room), asked.span, asked.group)), behind })),

  /** How many records fit a workflow's conditions as they stand. */
  fits: async (room: Room, { workflow }: { workflow: Workflow }): Promise<number> => countFits(room.pool, workflow, await around(room)),

  /** What running the changes that passed a workflow by would send. */
  'passed by': async (room: Room, { name }: { name: string }): Promise<PassedByForecast> => forecastPassedBy(room.pool, name, await around(room)),

  /** A mail that arrived, made ready to be shown; null for one that cannot be taken apart. */
  'read mail': async (_: Room, { source }: { source: string }): Promise<ReadMail | null> => readMail(source),

  /** How the examples of a workflow fare. */
  examples: async (room: Room, { workflow }: { workflow: Workflow }): Promise<ExampleOutcome[]> =>
    (await runExamples(room.pool, workflow, await around(room))).map((outcome) => ({ ...outcome, plan: null })),

  /** What a workflow does about an occasion for real, as data is now: ids of what it creates are reserved. Its plan is whole. */
  decide: async (room: Room, { workflow, occasion, key }: { workflow: Workflow; occasion: Occasion; key: string }): Promise<Settled> => {
    const surroundings = await around(room)
    const candidate = { compiled: compileWorkflow(workflow, surroundings), occasion, key }
    const [settled] = await settle(room.pool, [candidate], false, { setting: surroundings, dry: false, held: await heldTables(room.pool) }, { stopwatch: new Stopwatch(ALONE) })
    return must(settled)
  },
} as const

export type TaskName = keyof typeof TASKS
export type TaskOf<Name extends TaskName> = {
  readonly input: Parameters<(typeof TASKS)[Name]>[1]
  readonly result: Awaited<ReturnType<(typeof TASKS)[Name]>>
}
