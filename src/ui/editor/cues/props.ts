import type { Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import type { Evidence } from '../evidence'
import type { EditorSetting } from '../setting'

/** What the controls of a cue are given, whatever its kind. */
export interface CueProps {
  readonly document: Workflow
  readonly table: TableDef | undefined
  readonly setting: EditorSetting
  readonly evidence: Evidence | null
  readonly put: (path: string, value: unknown) => void
}
