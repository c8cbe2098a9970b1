import type { CompiledCondition } from '../conditions/compile'
import type { CueShape } from '../cues/cue'
import type { Cue, RecordCue, Workflow } from '../document/document'
import type { TableDef } from '../values/tables'
import type { Column } from './plan'
import type { Performer } from './run/setting'
import type { RunState } from './run/state'
import type { Surroundings } from './surroundings'

/** A workflow ready to be tried against changes. */
export interface CompiledWorkflow {
  readonly workflow: Workflow
  readonly table: TableDef
  readonly cue: Cue
  /** What its paths and texts start from. */
  readonly shape: CueShape
  readonly condition: CompiledCondition | null
  /** What must hold at every change in between, where it waits for something to stay so. */
  readonly inBetween: CompiledCondition | null
  /** Whether its conditions have formulas, so that they may take their time. */
  readonly usesFormulas: boolean
  /** Brings in what the actions need, works the values out, and does the actions. */
  readonly perform: Performer
  /** What a digest says of a run beside its title; null where the workflow gathers nothing. */
  readonly columns: ((run: RunState) => Column[]) | null
  readonly surroundings: Surroundings
}

/** Whether a record cue waits for its conditions to stay so. */
export const waits = (cue: Cue): cue is RecordCue & { stays: string } => cue.kind === 'record' && cue.stays !== undefined
