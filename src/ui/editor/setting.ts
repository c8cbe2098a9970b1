import type { Wording } from '@/core/conditions/sentence'
import type { Organisation, TableDef } from '@/core/values/tables'
import type { PersonChoice } from '../records/values'

/** What a brief is edited with, as it comes from the server. */
export interface EditorSetting {
  readonly tables: readonly TableDef[]
  readonly people: readonly PersonChoice[]
  readonly groups: readonly string[]
  readonly teams: readonly string[]
  readonly organisation: Organisation
}

/** What the core writes sentences with. */
export function wordingOf(setting: EditorSetting): Wording {
  return {
    schema: new Map(setting.tables.map((t) => [t.name, t])),
    organisation: setting.organisation,
    names: new Map(setting.people.map((p) => [p.email.toLowerCase(), p.name])),
  }
}
