import { type FieldDef, fieldOf, type Image, type Stored, type TableDef } from '../values/tables'

/** A change as it is kept with a run. */
export interface Moved {
  readonly kind: 'created' | 'changed' | 'deleted'
  readonly changed: readonly string[]
  readonly before: Image | null
  readonly after: Image | null
}

const MOST_FIELDS = 2
const LONGEST = 40

/** What a change changed, in a few words: “offer £900 → £1,250, status New → Won”; the fields that a workflow looks at come first. `shown` writes a value as people read it. */
export function movedWords({ kind, changed, before, after }: Moved, table: TableDef, looked: readonly string[], shown: (field: FieldDef, value: Stored) => string): string {
  if (kind === 'deleted') return 'removed'
  const named = kind === 'created' ? looked : [...looked.filter((name) => changed.includes(name)), ...changed.filter((name) => !looked.includes(name))]
  const fields = [...new Set(named)].flatMap((name) => fieldOf(table, name) ?? []).filter((field) => !field.housekeeping)
  const value = (field: FieldDef, image: Image | null) => {
    const text = shown(field, image?.[field.name] ?? null)
    return text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text
  }
  const parts = fields
    .slice(0, MOST_FIELDS)
    .map((field) => `${field.label.toLowerCase()} ${kind === 'created' ? value(field, after) : `${value(field, before)} → ${value(field, after)}`}`)
  if (kind === 'created') return parts.length ? `added: ${parts.join(', ')}` : 'added'
  return parts.join(', ') + (fields.length > MOST_FIELDS ? `, ${fields.length - MOST_FIELDS} more` : '')
}
