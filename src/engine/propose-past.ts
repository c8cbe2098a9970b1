import type { Change } from '@/core/changes/change'
import { Beside } from '@/core/propose/beside'
import type { Observation } from '@/core/propose/observation'
import { Observed } from '@/core/propose/observed'
import { propose } from '@/core/propose/propose'
import { type Image, idFrom, type RecordId, type TableDef, targetOf } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import { latestChanges, newestChange, withChanges } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { readGeneration } from '@/store/generation'
import { changesFiredFor } from '@/store/runs'
import { Past } from './rehearsal/past'

/** Marks on past changes, by their ids, and how far back others are looked at. */
export interface MarksAsked {
  readonly table: TableDef
  readonly yes: readonly number[]
  readonly no: readonly number[]
  readonly days: number
  /** The name of a workflow that is to fire for less: changes that it fired for are looked at, and clauses to be added to it proposed. */
  readonly within?: string
}

/** Changes to propose from, in order, with what clauses come to over them, and the place of each by its id. */
export interface PastRead {
  readonly changes: readonly Change[]
  readonly observed: Observed
  readonly placeOf: ReadonlyMap<number, number>
}

/** What was read last, with when, for which marks, and the newest change of its table then. */
interface Kept {
  readonly db: Queryable
  readonly key: string
  readonly at: number
  readonly newest: number | null
  readonly marked: ReadonlySet<number>
  readonly read: Promise<PastRead>
}

/** Most firings of a workflow that are looked at, the newest. */
const MOST_FIRED = 2_000

/** Most changes that are looked at, the newest; fewer of a table with so many fields that they would be more values than this. */
const MOST_CHANGES = 20_000
const MOST_VALUES = 4_000_000

/** A past of more values than this is not kept: others work in the same process. */
const KEPT_VALUES = 2_000_000

/** For so long the next question is answered with what was read for the one before, though there are newer changes; and for so long where there are none. */
const FRESH_MS = 60_000
const KEPT_MS = 600_000

let kept: Kept | null = null
let forgetting: NodeJS.Timeout | undefined

/**
 * The past that marks are made on. One question follows another, each with a mark more: what was read is kept for the next, with all that is known of it by then, as long as every
 * marked change is in it. One past is kept in a process, the last.
 */
export async function readPast(db: Queryable, asked: MarksAsked, surroundings: Surroundings): Promise<PastRead> {
  const { table, days, within, yes, no } = asked
  const [newest, generation] = await Promise.all([newestChange(db, table.name), readGeneration(db)])
  const key = JSON.stringify([table.name, days, within, generation, surroundings.organisation])
  const known = kept
  if (known?.db === db && known.key === key && (known.newest === newest || performance.now() - known.at < FRESH_MS)) {
    const read = await known.read
    if ([...yes, ...no].every((id) => read.placeOf.has(id) || known.marked.has(id))) return read
  }
  const read = readAnew(db, asked, surroundings)
  const mine: Kept = { db, key, at: performance.now(), newest, marked: new Set([...yes, ...no]), read }
  kept = mine
  const forget = () => {
    if (kept === mine) kept = null
  }
  clearTimeout(forgetting)
  forgetting = setTimeout(forget, KEPT_MS).unref()
  read.then(({ changes }) => changes.length * table.fields.length > KEPT_VALUES && forget(), forget)
  return read
}

const mostOf = ({ fields }: TableDef) => Math.min(MOST_CHANGES, Math.floor(MOST_VALUES / Math.max(1, fields.length)))

async function readAnew(db: Queryable, asked: MarksAsked, surroundings: Surroundings): Promise<PastRead> {
  const changes = await readMarked(db, asked, surroundings)
  const observed = new Observed(asked.table, surroundings, await withLinked(db, changes, asked.table, surroundings))
  return { changes, observed, placeOf: new Map(changes.map((change, i) => [change.id, i])) }
}

/** From so many changes on it takes long to look through them for the first time. */
const MANY = 2_000

const lookedThrough = new WeakSet<PastRead>()

/** Looks once through a past before anything is marked, as if four of its changes were: what each of them held is worked out, and kept with it for the first question. */
export function lookThrough(past: PastRead): void {
  const { size } = past.observed
  if (size < MANY || lookedThrough.has(past)) return
  lookedThrough.add(past)
  const at = (fifth: number) => Math.floor((fifth * size) / 5)
  propose(past.observed, { yes: [at(1), at(3)], no: [at(2), at(4)] })
}

/** The newest changes of a table, and the marked ones that are older, in order. */
async function readMarked(db: Queryable, { table, yes, no, days, within }: MarksAsked, { schema }: Surroundings): Promise<Change[]> {
  const from = Date.now() - days * 86_400_000
  const newest =
    within === undefined
      ? (await latestChanges(db, schema, table.name, null, mostOf(table))).filter((change) => change.at.getTime() >= from)
      : await changesFiredFor(db, schema, table.name, within, MOST_FIRED)
  return withChanges(db, schema, table.name, newest, [...yes, ...no])
}

/** Changes with the records that they link to, as they stood at the end of each one's transaction. */
async function withLinked(db: Queryable, changes: readonly Change[], table: TableDef, surroundings: Surroundings): Promise<Observation[]> {
  const links = table.fields.flatMap((field) => {
    const target = targetOf(field)
    return target ? [{ field: field.name, target }] : []
  })
  const past = new Past(db, { setting: surroundings, dry: true })
  const beside = await past.ask(
    changes.map((change) => ({
      change,
      at: change.at,
      ask: (lookups) =>
        [change.before, change.after].flatMap((image) =>
          links.flatMap(({ field, target }): [string, RecordId, Image | null][] => {
            const id = idFrom(image?.[field])
            return id === null ? [] : [[target, id, lookups.record(target, id)]]
          }),
        ),
    })),
  )
  return changes.map((change, i) => ({ change, lookups: new Beside(beside[i] ?? []) }))
}
