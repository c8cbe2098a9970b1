import type { Setting } from '../../conditions/compile'
import type { Action } from '../../document/document'
import type { Roots } from '../../paths/roots'
import type { TableDef } from '../../values/tables'
import type { Surroundings } from '../surroundings'
import type { RunState } from './state'

/** Does an action in a run: plans what it sends and writes. */
export type Performer = (run: RunState) => void

/** What actions are compiled in. */
export interface ActionSetting extends Setting {
  readonly table: TableDef
  readonly surroundings: Surroundings
  readonly roots: Roots
  /** Compiles the actions that stand under another. */
  readonly compileActions: (actions: readonly Action[], path: string, setting: ActionSetting) => Performer
}
