import { membersOf } from '../must'
import { isInstant } from '../values/dates'
import { parseRecord, type ValueProblem } from '../values/parse'
import { type Image, idFrom, type Stored, type TableDef } from '../values/tables'
import { CHANGE_KINDS, type Change, type ChangedBy, type ChangeKind, changedFields } from './change'

/** A change that was typed in rather than recorded. */
export interface TypedChange {
  readonly kind: ChangeKind
  readonly before?: Image | null
  readonly after?: Image | null
  readonly by: ChangedBy
  readonly at: Date
}

/** Something wrong with a typed change: where (JSON Pointer), and how to mend it. */
export interface TypedProblem {
  readonly code: string
  readonly path: string
  readonly message: string
}

/** Who made a change that names nobody and when it was, and whom people are known as by their e-mail, in small letters. */
export interface TypedSetting {
  readonly by: ChangedBy
  readonly at: Date
  readonly people: ReadonlyMap<string, number>
}

/** Reads a change that was typed in; gives it, or everything that is wrong in it. */
export function readTyped(given: Readonly<Record<string, unknown>>, table: TableDef, setting: TypedSetting): { typed: TypedChange } | { problems: TypedProblem[] } {
  const problems: TypedProblem[] = []
  const kind = CHANGE_KINDS.find((k) => k === given.kind)
  if (!kind) problems.push({ code: 'wrong shape', path: '/kind', message: 'kind is created, changed or deleted.' })
  const before = readImage(given.before, '/before', table, problems)
  const after = readImage(given.after, '/after', table, problems)
  if (given.at !== undefined && !(typeof given.at === 'string' && isInstant(given.at)))
    problems.push({ code: 'wrong type', path: '/at', message: 'at is a date-time with its offset (ISO 8601).' })
  const by = whoOf(given.by, setting)
  if (!by) problems.push({ code: 'unknown person', path: '/by', message: `by is the e-mail of somebody who is there, not ${JSON.stringify(given.by)}.` })
  if (problems.length || !by || !kind) return { problems }
  return { typed: { kind, before, after, by, at: given.at ? new Date(String(given.at)) : setting.at } }
}

function whoOf(by: unknown, setting: TypedSetting): ChangedBy | null {
  if (by === undefined || by === null) return setting.by
  const id = typeof by === 'string' ? setting.people.get(by.toLowerCase()) : undefined
  return id === undefined ? null : { kind: 'person', person: id, name: String(by) }
}

/** An image from outside; unlike a save it may hold the fields that Rappel keeps itself. */
function readImage(input: unknown, path: string, table: TableDef, problems: TypedProblem[]): Image | null {
  if (input === undefined || input === null) return null
  if (typeof input !== 'object' || Array.isArray(input)) {
    problems.push({ code: 'wrong shape', path, message: 'An image is an object of field names and values.' })
    return null
  }
  const { id, created_at, updated_at, ...rest } = membersOf(input)
  const relaxed = { ...table, fields: table.fields.map((f) => ({ ...f, required: false })) }
  const { image, problems: found } = parseRecord(relaxed, rest, { whole: false })
  problems.push(...found.map((p: ValueProblem) => ({ ...p, path: `${path}${p.path}` })))
  return { ...image, ...kept({ id, created_at, updated_at }) }
}

function kept(values: Record<string, unknown>): Record<string, Stored> {
  return Object.fromEntries(Object.entries(values).filter((e): e is [string, Stored] => typeof e[1] === 'string' || typeof e[1] === 'number'))
}

/** Completes a typed change: `after` overlays `before`, fields that a new record does not name are blank. */
export function completeChange(table: TableDef, typed: TypedChange): Change {
  const blank = Object.fromEntries(table.fields.map((f) => [f.name, null]))
  const before = typed.kind === 'created' ? null : { ...blank, ...typed.before }
  const after = typed.kind === 'deleted' ? null : { ...blank, ...before, ...typed.after }
  const record = idFrom(after?.id ?? before?.id) ?? 0
  const changed = changedFields(table, before, after)
  return { id: 0, table: table.name, record, kind: typed.kind, before, after, changed, at: typed.at, by: typed.by, transaction: '0', run: null, depth: 0 }
}
