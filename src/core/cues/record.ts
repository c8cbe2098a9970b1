import type { ChangeKind } from '../changes/change'
import type { RecordCue } from '../document/document'

/** What happened to a record, or may come of an action: in which table, what, and in which fields (null where that is not known). */
export interface Happening {
  readonly table: string
  readonly kind: ChangeKind
  readonly changed: readonly string[] | null
}

/** Why a record cue does not wait for something that happened. */
export type NotWaited = 'of another table' | 'of another kind' | 'no change' | 'in other fields'

/**
 * Whether a record cue of a table waits for something that happened; null where it does, else why not. This is the one definition: evaluation, what is set aside, and
 * the look for loops ask it; `cuedSql` in the store is the same in SQL, held against it by tests.
 */
export function notWaitedFor({ on, fields }: RecordCue, table: string, { table: of, kind, changed }: Happening): NotWaited | null {
  if (of !== table) return 'of another table'
  if (!on.includes(kind)) return 'of another kind'
  if (kind !== 'changed' || changed === null) return null
  if (changed.length === 0) return 'no change'
  return fields?.length && !fields.some((f) => changed.includes(f)) ? 'in other fields' : null
}
