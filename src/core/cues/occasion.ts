import type { Change, ChangedBy } from '../changes/change'
import type { Crossing, Standing } from '../figures/crossing'
import { type Image, idFrom, type RecordId } from '../values/tables'

/** What every occasion has: what set a workflow off once. */
interface Common {
  /** Unique for a workflow, or one of its trials: what is handled twice runs once. */
  readonly key: string
  readonly table: string
  /** The record it is about, with its images; null where it is about none. */
  readonly record: RecordId | null
  readonly before: Image | null
  readonly after: Image | null
  readonly at: Date
  readonly by: ChangedBy
  /** The run that caused it, and how long the chain of runs behind it is. */
  readonly run: number | null
  readonly depth: number
}

/** A record was created, changed or deleted. */
export interface ChangeOccasion extends Common {
  readonly kind: 'change'
  readonly record: RecordId
  readonly change: Change
}

/** Conditions became true at a change, and held for the time asked; `at` is when that was over, `after` the record as it was then. */
export interface StayOccasion extends Common {
  readonly kind: 'stay'
  readonly record: RecordId
  /** The change that they became true at; null where they were so already when the workflow went live. */
  readonly change: Change | null
  readonly since: Date
}

/** A moment of a timetable: for one record, for one owner's records, for one group of a figure, or for all. */
export interface TickOccasion extends Common {
  readonly kind: 'tick'
  readonly change: null
  readonly per: 'record' | 'owner' | 'all' | 'group'
  readonly owner: number | null
  /** The group, per `group`. */
  readonly standing: Standing | null
  /** Whether the record or group fitted at the tick before too; null where that is of no matter. */
  readonly fitted: boolean | null
  /** Whether it comes late: nothing was running when it should have come. */
  readonly late: boolean
}

/** A person ran the workflow by hand, with answers to its questions: for one record, for a selection, for one group of a figure, or for none. */
export interface PressOccasion extends Common {
  readonly kind: 'press'
  readonly change: null
  readonly per: 'record' | 'all' | 'none' | 'group'
  /** The group, per `group`. */
  readonly standing: Standing | null
  /** The records chosen, per `all`. */
  readonly records: readonly RecordId[]
  readonly asked: Image
}

/** A figure crossed a threshold. */
export interface CrossingOccasion extends Common {
  readonly kind: 'crossing'
  readonly change: null
  readonly crossing: Crossing
}

export type Occasion = ChangeOccasion | StayOccasion | TickOccasion | PressOccasion | CrossingOccasion

export const OCCASION_KINDS = ['change', 'stay', 'tick', 'press', 'crossing'] as const
export type OccasionKind = (typeof OCCASION_KINDS)[number]

/** The occasion that a change is. */
export function changeOccasion(change: Change): ChangeOccasion {
  const { id, table, record, before, after, at, by, run, depth } = change
  return { kind: 'change', key: String(id), table, record, before, after, at, by, run, depth, change }
}

/** What is known of a wait that is over. */
export interface Stayed {
  readonly key: string
  readonly table: string
  readonly record: RecordId
  readonly change: Change | null
  readonly since: Date
  readonly due: Date
  readonly by: ChangedBy
  /** The record as it was when the time was over. */
  readonly image: Image
}

/** The key of a stay that began with a change. */
export const stayKey = (change: number): string => `stay ${change}`

/** The occasion that conditions are which stayed true. */
export function stayOccasion({ key, table, record, change, since, due, by, image }: Stayed): StayOccasion {
  return { kind: 'stay', key, table, record, change, since, at: due, by, before: change?.before ?? null, after: image, run: change?.run ?? null, depth: change?.depth ?? 0 }
}

/** Who is said to be behind what the clock sets off. */
export const CLOCK: ChangedBy = { kind: 'system', person: null, name: 'the timetable' }

/** What a tick is for. */
export interface TickFor {
  readonly table: string
  readonly per: TickOccasion['per']
  readonly at: Date
  readonly late?: boolean
  readonly image?: Image
  readonly owner?: number
  readonly standing?: Standing
  readonly fitted?: boolean | null
}

/** What tells a group from others in a key. */
const groupKey = (standing: Standing | undefined) => ` group ${JSON.stringify(standing?.group ?? null)}`

/** The occasion that a moment of a timetable is, for one record, one owner, one group of a figure, or all. */
export function tickOccasion({ table, per, at, late = false, image, owner, standing, fitted = null }: TickFor): TickOccasion {
  const record = per === 'record' ? (idFrom(image?.id) ?? 0) : null
  const whom = per === 'record' ? ` record ${record}` : per === 'owner' ? ` owner ${owner}` : per === 'group' ? groupKey(standing) : ''
  const own = per === 'record' ? (image ?? null) : null
  const key = `tick ${at.toISOString()}${whom}`
  return {
    kind: 'tick',
    key,
    table,
    record,
    before: own,
    after: own,
    at,
    by: CLOCK,
    run: null,
    depth: 0,
    change: null,
    per,
    owner: owner ?? null,
    standing: standing ?? null,
    fitted,
    late,
  }
}

/** What a press is for. */
export interface PressFor {
  readonly press: string
  readonly table: string
  readonly per: PressOccasion['per']
  readonly at: Date
  readonly by: ChangedBy
  readonly asked: Image
  readonly image?: Image
  readonly standing?: Standing
  readonly records?: readonly RecordId[]
}

/** The occasion that a press is, for one record, a selection, one group of a figure, or none. */
export function pressOccasion({ press, table, per, at, by, asked, image, standing, records = [] }: PressFor): PressOccasion {
  const record = per === 'record' ? (idFrom(image?.id) ?? 0) : null
  const own = per === 'record' ? (image ?? null) : null
  const key = `press ${press}${record === null ? (per === 'group' ? groupKey(standing) : '') : ` record ${record}`}`
  return { kind: 'press', key, table, record, before: own, after: own, at, by, run: null, depth: 0, change: null, per, standing: standing ?? null, records, asked }
}

/** What a crossing is for. */
export interface CrossingFor extends Pick<CrossingOccasion, 'table' | 'at' | 'by' | 'crossing'> {
  /** Its number, which no other has. */
  readonly id: number | string
  readonly run?: number | null
  readonly depth?: number
}

/** The occasion that a crossing is. */
export function crossingOccasion({ id, table, at, by, crossing, run = null, depth = 0 }: CrossingFor): CrossingOccasion {
  return { kind: 'crossing', key: `crossing ${id}`, table, record: null, before: null, after: null, at, by, run, depth, change: null, crossing }
}

/** The group of a figure that an occasion is about, as it stood then; null where it is about none. */
export function standingOf(occasion: Occasion): Standing | null {
  if (occasion.kind === 'crossing') return occasion.crossing
  return occasion.kind === 'tick' || occasion.kind === 'press' ? occasion.standing : null
}
