import type { Wording } from '@/core/conditions/sentence'
import { checkPath } from '@/core/paths/path'
import { formatStored } from '@/core/values/format'
import type { Organisation, Stored, TableDef } from '@/core/values/tables'
import type { PersonChoice } from '../records/values'

/** What a brief is edited with, as it comes from the server. */
export interface EditorSetting {
  readonly tables: readonly TableDef[]
  readonly people: readonly PersonChoice[]
  readonly groups: readonly string[]
  readonly teams: readonly string[]
  readonly channels: readonly string[]
  readonly senders: readonly string[]
  /** The library's files. */
  readonly files: readonly { readonly name: string; readonly id: number }[]
  readonly templates: readonly { readonly name: string; readonly table: string }[]
  /** The one address that the workflow may write to, where it is a member's own. */
  readonly onlyTo: string | null
  /** The e-mail of whoever edits, whom “me” means. */
  readonly me: string | null
  readonly organisation: Organisation
}

/** Shows a stored value at the end of a path: people by name, the rest in the organisation's ways. */
export function shownAt(setting: EditorSetting, table: TableDef | undefined, path: string, value: unknown): string {
  if (value === null || value === undefined || value === '') return 'blank'
  const checked = table && checkPath(wordingOf(setting).schema, table, path)
  if (!checked || 'problem' in checked) return String(value)
  if (checked.field.type === 'person') return setting.people.find((p) => p.id === value)?.name ?? `person ${value}`
  return formatStored(checked.field.type, value as Stored, setting.organisation)
}

/** What the core writes sentences with. */
export function wordingOf(setting: EditorSetting): Wording {
  return {
    schema: new Map(setting.tables.map((t) => [t.name, t])),
    organisation: setting.organisation,
    names: new Map(setting.people.map((p) => [p.email.toLowerCase(), p.name])),
  }
}
