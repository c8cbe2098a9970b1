import type { Change, ChangedBy, ChangeKind } from '@/core/changes/change'
import { changedFields } from '@/core/changes/change'
import type { Image, TableDef } from '@/core/values/tables'
import type { Workflow } from '@/core/workflow/document'
import { compileWorkflow, type Plan, type Surroundings } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { settle } from './settle'

/** A change that was typed in rather than recorded. */
export interface TypedChange {
  readonly kind: ChangeKind
  readonly before?: Image | null
  readonly after?: Image | null
  readonly by: ChangedBy
  readonly at: Date
}

/** Completes a typed change: `after` overlays `before`, fields that a new record does not name are blank. */
export function completeChange(table: TableDef, typed: TypedChange): Change {
  const blank = Object.fromEntries(table.fields.map((f) => [f.name, null]))
  const before = typed.kind === 'created' ? null : { ...blank, ...typed.before }
  const after = typed.kind === 'deleted' ? null : { ...blank, ...before, ...typed.after }
  const record = Number(after?.id ?? before?.id ?? 0)
  const changed = changedFields(table, before, after)
  return { id: 0, table: table.name, record, kind: typed.kind, before, after, changed, at: typed.at, by: typed.by, transaction: '0', run: null, depth: 0 }
}

/** Works out what a workflow would do about a change, with linked data as it is now; nothing is sent or written. */
export async function tryWorkflow(db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings): Promise<{ plan: Plan } | { fault: string }> {
  const [settled] = await settle(db, [{ compiled: compileWorkflow(workflow, surroundings), change }], true, { setting: surroundings, dry: true })
  return settled as NonNullable<typeof settled>
}
