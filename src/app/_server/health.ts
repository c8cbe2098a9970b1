import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { whyAsleep } from '@/core/words/asleep'
import { captureProblems } from '@/engine/capture-problems'
import { type PartName, readUpkeep, readWaits, TOO_LONG, type Waits } from '@/store/health'
import { readMailState } from '@/store/mail-state'
import { readAsleep } from '@/store/place'
import { mayPass } from '@/store/problems'
import { countWorkers } from '@/store/workers'
import { Counted } from './counted'
import { pool } from './environment'
import { kept } from './kept'
import { within } from './within'

/** What died since the installation was started, and was started again. */
export interface Restart {
  readonly part: string
  readonly restarts: number
  readonly at: string
}

/** Whether everything that carries an alert does, and if not, what is wrong, in sentences. */
export interface Health {
  readonly ok: boolean
  readonly database: boolean
  readonly worker: boolean
  readonly mail: boolean
  readonly backlog: number
  /** Seconds that the oldest change not handled, due message and due waiting run have waited; null where none waits. */
  readonly oldestChange: number | null
  readonly oldestMessage: number | null
  readonly oldestRun: number | null
  /** The same of what the clock should have set off. */
  readonly oldestMoment: number | null
  /** Seconds since each part of the worker last did something; null where it never did. */
  readonly parts: Readonly<Record<PartName, number | null>>
  readonly restarts: readonly Restart[]
  readonly problems: readonly string[]
}

/** How long what waits may take to be found out before that is said instead. */
const PATIENCE_MS = 4_000

const UNKNOWN = `What waits could not be found out within ${PATIENCE_MS / 1_000} s: the database is very busy, or somebody holds one of its tables.`
const NOTHING_KNOWN: Waits = { backlog: 0, oldestChange: null, oldestMessage: null, oldestRun: null, oldestMoment: null }

/** What waits; where that takes long, as while a transaction stays open for hours, what was found some times as long ago as it took. */
export const waitsNow = (): Promise<Waits> => kept('waits', () => new Counted(() => readWaits(pool()), undefined, { times: 10, mostMs: 60_000 })).get()

/** A table that somebody holds keeps what waits from being found out, and nothing else. @throws any other error */
function unknownWhereHeld(error: unknown): null {
  if (!mayPass(error)) throw error
  return null
}

const DOES: Readonly<Record<PartName, string>> = { changes: 'decides about changes', mail: 'delivers mail' }

/** How the installation stands; what the database says is asked for, and where it is away that is the answer. */
export async function readHealth(): Promise<Health> {
  const [waits, upkeep, workers, mail, restarts, asleep] = await Promise.all([
    within(PATIENCE_MS, waitsNow().catch(unknownWhereHeld)),
    readUpkeep(pool()),
    countWorkers(pool()),
    readMailState(pool()),
    readRestarts(),
    readAsleep(pool()),
  ])
  const parts = { changes: upkeep.parts.changes ?? null, mail: upkeep.parts.mail ?? null }
  const isMailWell = mail.ok !== false
  const problems = [
    ...(asleep ? [`${whyAsleep(asleep.why)} Nothing is decided or sent before an administrator lets it go on, on its first page.`] : []),
    ...workerProblems(workers, parts),
    ...(waits ? ageProblems(waits) : [UNKNOWN]),
    ...captureProblems(upkeep).map(({ problem }) => problem),
    ...(isMailWell ? [] : [`The mail server does not answer: ${mail.reply}`]),
  ]
  const { backlog, oldestChange, oldestMessage, oldestRun, oldestMoment } = waits ?? NOTHING_KNOWN
  return {
    ok: problems.length === 0,
    database: true,
    worker: workers.changes > 0 && workers.mail > 0,
    mail: isMailWell,
    backlog,
    oldestChange,
    oldestMessage,
    oldestRun,
    oldestMoment,
    parts,
    restarts,
    problems,
  }
}

/** How the installation stands while its database cannot be reached. */
export function withoutDatabase(): Health {
  const unknown = { ...NOTHING_KNOWN, parts: { changes: null, mail: null }, restarts: [] }
  return { ok: false, database: false, worker: false, mail: false, ...unknown, problems: ['The database cannot be reached.'] }
}

function workerProblems(workers: Readonly<Record<PartName, number>>, parts: Health['parts']): string[] {
  if (workers.changes === 0 && workers.mail === 0) return ['No worker is running: nothing is decided and no mail is sent.']
  return (Object.keys(DOES) as PartName[]).flatMap((part) => {
    if (workers[part] === 0) return [`No process that ${DOES[part]} is running.`]
    const age = parts[part]
    if (age !== null && age <= TOO_LONG) return []
    return [`The part that ${DOES[part]} ${age === null ? 'has not begun' : `has stood still for ${inWords(age)}`}.`]
  })
}

function ageProblems({ oldestChange, oldestMessage, oldestRun, oldestMoment }: Waits): string[] {
  const late = (age: number | null, what: string) => (age !== null && age > TOO_LONG ? [`${what} for ${inWords(age)}.`] : [])
  return [
    ...late(oldestChange, 'The oldest change has waited to be handled'),
    ...late(oldestMessage, 'The oldest message that is due has waited to be sent'),
    ...late(oldestRun, 'The oldest run that is due has waited to be worked out'),
    ...late(oldestMoment, 'What the clock should have set off has waited'),
  ]
}

/** A length of time in words. */
function inWords(seconds: number): string {
  if (seconds < 120) return `${Math.round(seconds)} s`
  return seconds < 7_200 ? `${Math.round(seconds / 60)} minutes` : `${Math.round(seconds / 3_600)} hours`
}

/** What whoever keeps the processes noted in the home; nothing where they are kept by others. */
async function readRestarts(): Promise<Restart[]> {
  try {
    const noted = JSON.parse(await readFile(join(process.env.RAPPEL_HOME ?? '.rappel', 'restarts.json'), 'utf8')) as Record<string, Omit<Restart, 'part'>>
    return Object.entries(noted).map(([part, { restarts, at }]) => ({ part, restarts, at }))
  } catch {
    return []
  }
}
