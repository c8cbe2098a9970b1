import type { ChangeKind } from '../../changes/change'
import type { Condition } from '../../document/condition'
import type { Cue, RecordCue } from '../../document/document'
import type { TableDef } from '../../values/tables'
import type { Scope } from './paths'

/** What a workflow waits for, as it was read: its table, its cue, and the conditions that words of the cue say. */
export interface ReadCue {
  readonly table: TableDef
  readonly cue: Cue
  readonly conditions: Condition | null
}

export type ScopeOf = (table: TableDef) => Scope

/** Everything that a sentence says of the records it waits for. */
export class Said {
  on = new Set<ChangeKind>()
  fields: string[] = []
  whose: RecordCue['whose']
  stays: string | undefined
  clauses: Condition[] = []
  /** Whether a record comes to be so, rather than being so. */
  becomes = false
}
