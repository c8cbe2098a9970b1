import { parseSnapshot, type Snapshot } from '@/core/changes/snapshot'
import type { Wording } from '@/core/conditions/sentence'
import type { Cue, FigureCue, Workflow } from '@/core/document/document'
import type { Caps } from '@/core/limits/caps'
import { createEngines } from '@/core/message/render'
import type { ReviewSetting } from '@/core/review/review'
import { type Duration, readDuration } from '@/core/values/duration'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { mostAttachedOf } from '@/core/workflow/run/attachments'
import type { Surroundings } from '@/core/workflow/surroundings'
import { signingSecret } from '@/store/access/secrets'
import type { Queryable } from '@/store/database'
import { listLibrary } from '@/store/files'
import { readGeneration } from '@/store/generation'
import { workflowsWithSay } from '@/store/limits/own-say'
import { readMailState } from '@/store/mail-state'
import { listChannels } from '@/store/notices'
import { listEmptyTeams, listGroups, listTeams, namesByEmail, peopleByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import { anyStays } from '@/store/stays'
import { readSchema } from '@/store/tables'
import { listSenders, listTemplates } from '@/store/templates'
import { readArmedTrials, type Trial } from '@/store/trials'
import { type LiveStretch, listLive, readLiveStretches, readVersion } from '@/store/workflows'
import type { ArmedTrial } from './trial'

/** One version of a workflow that runs, between the snapshots that bound it. */
export interface LiveWorkflow {
  readonly workflow: number
  readonly name: string
  readonly version: number
  readonly compiled: CompiledWorkflow | null
  /** Why it could not be compiled any more; each of its changes then makes a failed run that says so. */
  readonly fault: string | null
  readonly refire: boolean
  /** How long its conditions must hold before it fires; what is compiled then only decides whether they became true. */
  readonly stays: Duration | null
  readonly kind: Cue['kind']
  /** The figure and the threshold that it waits for, where it waits for one. */
  readonly crossing: FigureCue | null
  readonly table: string
  readonly from: Snapshot
  readonly to: Snapshot | null
  /** Set where it is a draft armed for trial. */
  readonly trial?: ArmedTrial
}

/** All that changes are evaluated with, compiled once a generation. */
export interface Program {
  readonly generation: number
  readonly surroundings: Surroundings
  /** Those that wait for changes of records, by the records' table. */
  readonly byTable: ReadonlyMap<string, readonly LiveWorkflow[]>
  /** Those that wait for a figure's crossings, by its name. */
  readonly byFigure: ReadonlyMap<string, readonly LiveWorkflow[]>
  /** Whether changes may begin or break what is to stay so. */
  readonly anyStays: boolean
  /** What links to "why you got this" are signed with. */
  readonly whySecret: string
  /** The most that goes over all workflows in a day and an hour. */
  readonly caps: Caps
  /** The workflows of which recipients asked for something themselves. */
  readonly withSay: ReadonlySet<number>
  /** The attached tables that their owners hold while this is gone by, of which nothing can be read. */
  readonly held: ReadonlySet<string>
}

/** Reads what workflows are compiled in. `baseUrl` has no slash at its end. */
export async function readSurroundings(db: Queryable, baseUrl: string): Promise<Surroundings> {
  const settings = await readSettings(db)
  const people = await peopleByEmail(db)
  const senders = new Map((await listSenders(db)).map((s) => [s.name, { name: s.display, address: s.address }]))
  const templates = new Map((await listTemplates(db)).map((t) => [t.name, t]))
  const library = new Map((await listLibrary(db)).map((f) => [f.name, f]))
  return {
    schema: await readSchema(db),
    people: people.ids,
    organisation: settings,
    engines: createEngines(settings),
    sender: settings.sender,
    baseUrl,
    senders,
    templates,
    library,
    sendingDomains: new Set(settings.sendingDomains.map((d) => d.toLowerCase())),
    whyFooter: settings.whyFooter,
    mostAttached: mostAttachedOf((await readMailState(db)).mostBytes),
  }
}

/** Reads what workflows are worded with. */
export async function readWording(db: Queryable): Promise<Wording> {
  const [schema, organisation, names] = await Promise.all([readSchema(db), readSettings(db), namesByEmail(db)])
  return { schema, organisation, names }
}

/** Reads what workflows are reviewed and worded with. */
export async function readReviewSetting(db: Queryable): Promise<ReviewSetting & Wording> {
  const settings = await readSettings(db)
  const groups = await listGroups(db)
  const people = await peopleByEmail(db)
  return {
    schema: await readSchema(db),
    people: people.ids,
    names: people.names,
    organisation: settings,
    groups: new Set(groups.map((g) => g.name)),
    emptyGroups: new Set(groups.filter((g) => g.active === 0 && g.addresses.length === 0).map((g) => g.name)),
    // under the name that each has now: a version keeps the one it went live with
    live: (await listLive(db)).map(({ live, name }) => ({ ...live, name })),
    teams: new Set(await listTeams(db)),
    emptyTeams: new Set(await listEmptyTeams(db)),
    engines: createEngines(settings),
    templates: new Map((await listTemplates(db)).map((t) => [t.name, t])),
    senders: new Set((await listSenders(db)).map((s) => s.name)),
    channels: new Set((await listChannels(db)).map((c) => c.name)),
    library: new Set((await listLibrary(db)).map((f) => f.name)),
  }
}

/** Compiles every workflow that is live, or was while something now queued committed. */
export async function loadProgram(db: Queryable, baseUrl: string): Promise<Program> {
  const generation = await readGeneration(db)
  const surroundings = await readSurroundings(db, baseUrl)
  const settings = await readSettings(db)
  const byTable = new Map<string, LiveWorkflow[]>()
  const stretches = (await readLiveStretches(db)).map((stretch) => forChanges(stretch.document, compileStretch(stretch, surroundings), surroundings))
  const trials = (await readArmedTrials(db)).map((trial) => forChanges(trial.document, compileTrial(trial, surroundings), surroundings))
  const waiting = [...stretches, ...trials].filter((live) => live.kind === 'record')
  for (const live of waiting) {
    const list = byTable.get(live.table)
    if (list) list.push(live)
    else byTable.set(live.table, [live])
  }
  const byFigure = new Map<string, LiveWorkflow[]>()
  for (const live of stretches) if (live.crossing) byFigure.set(live.crossing.figure, [...(byFigure.get(live.crossing.figure) ?? []), live])
  return {
    generation,
    surroundings,
    byTable,
    byFigure,
    held: new Set(),
    anyStays: waiting.some((live) => live.stays) || (await anyStays(db)),
    whySecret: await signingSecret(db, 'why'),
    caps: { day: settings.mailPerDay, hour: settings.mailPerHour },
    withSay: await workflowsWithSay(db),
  }
}

/** A version as changes are evaluated with it: where something is to stay so first, only whether it became true. */
function forChanges(document: Workflow, live: LiveWorkflow, surroundings: Surroundings): LiveWorkflow {
  return live.stays ? { ...live, ...compileDocument(decidingOnly(document), surroundings) } : live
}

/** A workflow that only decides whether it fires. */
export function decidingOnly({ bringIn: _b, values: _v, ...rest }: Workflow): Workflow {
  return { ...rest, actions: [] }
}

/** How long a workflow's conditions must hold before it fires; null where it fires at once. */
export function staysOf({ cue }: Workflow): Duration | null {
  const read = cue.kind === 'record' && cue.stays !== undefined ? readDuration(cue.stays) : null
  return read && 'duration' in read ? read.duration : null
}

/** One version of a workflow, compiled by itself, for a run that has waited. */
export async function compileVersion(db: Queryable, workflow: number, version: number, surroundings: Surroundings): Promise<LiveWorkflow> {
  const { name, document } = await readVersion(db, workflow, version)
  return compileStretch({ workflow, name, version, document, from: '1:1:', to: null }, surroundings)
}

function compileStretch(stretch: LiveStretch, surroundings: Surroundings): LiveWorkflow {
  const { workflow, name, version, document } = stretch
  return {
    workflow,
    name,
    version,
    refire: document.refire ?? false,
    stays: staysOf(document),
    kind: document.cue.kind,
    crossing: document.cue.kind === 'figure' ? document.cue : null,
    table: document.table,
    from: parseSnapshot(stretch.from),
    to: stretch.to ? parseSnapshot(stretch.to) : null,
    ...compileDocument(document, surroundings),
  }
}

/** The version that a trial's runs carry: a draft has none. */
const TRIAL_VERSION = 0

/** A trial as the engine runs it. */
export function armedOf({ id, record, by, until_at, person, address, person_name }: Trial): ArmedTrial {
  return { id, record, by, until: until_at, tryer: { person, address, name: person_name } }
}

/** A trial's draft, compiled to run beside the live workflows. */
export function compileTrial(trial: Trial, surroundings: Surroundings): LiveWorkflow {
  const { workflow, name, document } = trial
  return {
    workflow,
    name,
    version: TRIAL_VERSION,
    refire: document.refire ?? false,
    stays: staysOf(document),
    kind: document.cue.kind,
    crossing: document.cue.kind === 'figure' ? document.cue : null,
    table: document.table,
    from: parseSnapshot(trial.from),
    to: null,
    trial: armedOf(trial),
    ...compileDocument(document, surroundings),
  }
}

function compileDocument(document: Workflow, surroundings: Surroundings): Pick<LiveWorkflow, 'compiled' | 'fault'> {
  try {
    return { compiled: compileWorkflow(document, surroundings), fault: null }
  } catch (error) {
    return { compiled: null, fault: error instanceof Error ? error.message : String(error) }
  }
}
