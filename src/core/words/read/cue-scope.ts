import type { ChangeKind } from '../../changes/change'
import type { Condition } from '../../document/condition'
import type { Cue, Recipient, RecordCue } from '../../document/document'
import type { TableDef } from '../../values/tables'
import type { Scope } from './paths'

/** What a workflow waits for, as it was read: its table, its cue, and the conditions that words of the cue say. */
export interface ReadCue {
  readonly table: TableDef
  readonly cue: Cue
  readonly conditions: Condition | null
  /** Whom a mail goes to that is spoken of before what it is about: “every Monday at 9 email the directors all claims in review”. */
  readonly to?: readonly Recipient[]
}

/** A condition, and how it is joined to what stands before it. */
export interface Joined {
  readonly joint: 'all' | 'any'
  readonly part: Condition
}

export type ScopeOf = (table: TableDef) => Scope

/** Everything that a sentence says of the records it waits for. */
export class Said {
  on = new Set<ChangeKind>()
  fields: string[] = []
  whose: RecordCue['whose']
  stays: string | undefined
  /** What is said of it, each part with the word that joins it to what stands before. */
  readonly parts: Joined[] = []
  /** How what is read next is joined. */
  joint: Joined['joint'] = 'all'
  /** Whether a record comes to be so, rather than being so. */
  becomes = false

  add(part: Condition): void {
    this.parts.push({ joint: this.joint, part })
  }
}
