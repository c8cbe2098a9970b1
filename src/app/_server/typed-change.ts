import { readTyped, type TypedChange, type TypedSetting } from '@/core/changes/typed'
import type { TableDef } from '@/core/values/tables'
import { Problem } from './problem'
import { objectOf } from './reading'

/** Reads a change that was typed in. @throws Problem 422 with everything that is wrong in it */
export function readTypedChange(input: unknown, table: TableDef, setting: TypedSetting): TypedChange {
  const read = readTyped(objectOf(input), table, setting)
  if ('typed' in read) return read.typed
  throw new Problem(422, 'Not valid', 'The change has values that do not fit the table.', { problems: read.problems.map((p) => ({ ...p, path: `/change${p.path}` })) })
}
