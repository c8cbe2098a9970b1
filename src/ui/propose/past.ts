import type { Change } from '@/core/changes/change'
import type { Organisation, TableDef } from '@/core/values/tables'
import type { EditorSetting } from '../editor/setting'

/** Past changes of a table, and how their values are shown. */
export interface Past {
  readonly table: TableDef
  readonly setting: EditorSetting
  readonly organisation: Organisation
  readonly changes: readonly Change[]
  readonly shown: (field: string, value: unknown) => string
}
