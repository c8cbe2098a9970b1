import type { Wording } from '@/core/conditions/sentence'
import type { BringIn } from '@/core/document/document'
import { checkPath } from '@/core/paths/path'
import { formatStored } from '@/core/values/format'
import { type Organisation, type RecordId, type Stored, type TableDef, targetOf } from '@/core/values/tables'
import type { PersonChoice } from '../records/values'
import { counted } from '../today/summary'

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
  /** Templates, each with the lists that a workflow which sends it brings in. */
  readonly templates: readonly { readonly name: string; readonly table: string; readonly lists: readonly BringIn[] }[]
  /** The workflows that there are, with how each stands. */
  readonly workflows: readonly { readonly name: string; readonly table: string; readonly state: 'draft' | 'live' | 'paused' }[]
  /** The one address that the workflow may write to, where it is a member's own. */
  readonly onlyTo: string | null
  /** The e-mail of whoever edits, whom “me” means. */
  readonly me: string | null
  readonly organisation: Organisation
}

/** Shows a stored value at the end of a path: people by name, records by their title, the rest in the organisation's ways. */
export function shownAt(setting: EditorSetting, table: TableDef | undefined, path: string, value: unknown, titleOf: (table: string, id: RecordId) => string): string {
  if (value === null || value === undefined || value === '') return 'blank'
  const checked = table && checkPath(wordingOf(setting).schema, table, path.replace(/^before\./, ''))
  if (!checked || 'problem' in checked) return spoken(value)
  const target = targetOf(checked.field)
  if (checked.field.type === 'person') return setting.people.find((p) => p.id === value)?.name ?? `person ${value}`
  if (target && (typeof value === 'number' || typeof value === 'string')) return titleOf(target, value)
  if (checked.field.type === 'file') return 'a file'
  return formatStored(checked.field.type, value as Stored, setting.organisation)
}

/** A value that no field tells the type of. */
const spoken = (value: unknown) => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : Array.isArray(value) ? counted(value.length, 'thing') : String(value))

/** What sentences are written with, by the setting that it was made of: every value that is shown asks for it. */
const wordings = new WeakMap<EditorSetting, Wording>()

/** What the core writes sentences with. */
export function wordingOf(setting: EditorSetting): Wording {
  const known = wordings.get(setting)
  if (known) return known
  const wording = {
    schema: new Map(setting.tables.map((t) => [t.name, t])),
    organisation: setting.organisation,
    names: new Map(setting.people.map((p) => [p.email.toLowerCase(), p.name])),
  }
  wordings.set(setting, wording)
  return wording
}
