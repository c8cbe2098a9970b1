import type { ChangedBy, ChangeKind } from '@/core/changes/change'
import { isInstant } from '@/core/values/dates'
import { parseRecord, type ValueProblem } from '@/core/values/parse'
import type { Image, Stored, TableDef } from '@/core/values/tables'
import type { TypedChange } from '@/engine/try'
import { objectOf } from './reading'
import { Problem } from './route'

const KINDS: readonly ChangeKind[] = ['created', 'changed', 'deleted']

/** Reads a change that was typed in. @throws Problem 422 with everything that is wrong in it */
export function readTypedChange(input: unknown, table: TableDef, asker: ChangedBy, people: ReadonlyMap<string, number>): TypedChange {
  const given = objectOf(input)
  const problems: ValueProblem[] = []
  const kind = given.kind as ChangeKind
  if (!KINDS.includes(kind)) throw new Problem(422, 'Not valid', 'change.kind is created, changed or deleted.')
  const before = readImage(given.before, '/change/before', table, problems)
  const after = readImage(given.after, '/change/after', table, problems)
  if (given.at !== undefined && !(typeof given.at === 'string' && isInstant(given.at)))
    problems.push({ code: 'wrong type', path: '/change/at', message: 'at is a date-time with its offset (ISO 8601).' })
  if (problems.length) throw new Problem(422, 'Not valid', 'The change has values that do not fit the table.', { problems })
  return { kind, before, after, by: whoOf(given.by, asker, people), at: given.at ? new Date(given.at as string) : new Date() }
}

function whoOf(by: unknown, asker: ChangedBy, people: ReadonlyMap<string, number>): ChangedBy {
  if (by === undefined || by === null) return asker
  const id = typeof by === 'string' ? people.get(by.toLowerCase()) : undefined
  if (id === undefined) throw new Problem(422, 'Not valid', `change.by is the e-mail of somebody who is there, not ${JSON.stringify(by)}.`)
  return { kind: 'person', person: id, name: by as string }
}

/** An image from outside; unlike a save it may hold the fields that Rappel keeps itself. */
function readImage(input: unknown, path: string, table: TableDef, problems: ValueProblem[]): Image | null {
  if (input === undefined || input === null) return null
  const { id, created_at, updated_at, ...rest } = objectOf(input)
  const relaxed = { ...table, fields: table.fields.map((f) => ({ ...f, required: false })) }
  const { image, problems: found } = parseRecord(relaxed, rest, { whole: false })
  problems.push(...found.map((p) => ({ ...p, path: `${path}${p.path}` })))
  return { ...image, ...kept({ id, created_at, updated_at }) }
}

function kept(values: Record<string, unknown>): Record<string, Stored> {
  return Object.fromEntries(Object.entries(values).filter((e): e is [string, Stored] => typeof e[1] === 'string' || typeof e[1] === 'number'))
}
