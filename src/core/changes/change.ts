import { must } from '../must'
import { isChanged, isText } from '../values/compare'
import { countingFields, type Image, type RecordId, type TableDef } from '../values/tables'

export type ChangeKind = 'created' | 'changed' | 'deleted'

/** The kinds of changes, in the order in which they are told. */
export const CHANGE_KINDS: readonly ChangeKind[] = ['created', 'changed', 'deleted']

/** Who made a change: a person, an API token, an import, or another program writing to the database. */
export interface ChangedBy {
  readonly kind: 'person' | 'token' | 'import' | 'system'
  /** The person's id, where one is known. */
  readonly person: number | null
  readonly name: string
  /** Whether workflows let what is written so pass by. */
  readonly quiet?: true
  /** The trace of the call that wrote it (W3C Trace Context). */
  readonly trace?: string
}

/** One record created, changed or deleted by one committed transaction. */
export interface Change {
  /** The id of the last row of the log that went into it. */
  readonly id: number
  readonly table: string
  readonly record: RecordId
  readonly kind: ChangeKind
  readonly before: Image | null
  readonly after: Image | null
  /** Names of the fields that differ, in the table's order; empty for a deletion. */
  readonly changed: readonly string[]
  readonly at: Date
  readonly by: ChangedBy
  /** PostgreSQL's transaction id (xid8), as text. */
  readonly transaction: string
  /** The run that caused it, and how long the chain of runs behind it is. */
  readonly run: number | null
  readonly depth: number
}

/** A row of the change log: the same as a change, but that `before` holds only the old values of changed fields where `kind` is `changed`. */
export type LogRow = Change

/** The whole image before a row of the log: `after || before` for an update. */
export function wholeBefore(row: LogRow): Image | null {
  return row.kind === 'changed' ? { ...row.after, ...row.before } : row.before
}

/** The names of the counting fields whose stored values differ between two images; all filled ones for a creation. */
export function changedFields(table: TableDef, before: Image | null, after: Image | null): string[] {
  if (!after) return []
  return countingFields(table)
    .filter((f) => isChanged(f.type, before?.[f.name], after[f.name]))
    .map((f) => f.name)
}

/** The names of the counting fields that are stored otherwise after than before, as capture finds them in a single row: an empty text is not nothing. */
function differingFields(table: TableDef, before: Image, after: Image): string[] {
  return countingFields(table)
    .filter(({ name, type }) => {
      const [was, is] = [before[name] ?? null, after[name] ?? null]
      return was === null || is === null || isText(type) ? was !== is : isChanged(type, was, is)
    })
    .map((f) => f.name)
}

/**
 * Folds log rows, in order of id, into net changes: one per record and transaction, first image before and last image after.
 * Created then deleted in one transaction, or ending where it began, gives nothing.
 */
export function netChanges(rows: readonly LogRow[], tables: (name: string) => TableDef | undefined): Change[] {
  const groups = new Map<string, LogRow[]>()
  for (const row of rows) {
    const key = `${row.transaction} ${row.record} ${row.table}`
    const group = groups.get(key)
    if (group) group.push(row)
    else groups.set(key, [row])
  }
  const changes: Change[] = []
  for (const group of groups.values()) {
    const change = netOf(group, tables(must(group[0]?.table)))
    if (change) changes.push(change)
  }
  return changes.sort((a, b) => a.id - b.id)
}

function netOf(group: readonly LogRow[], table: TableDef | undefined): Change | null {
  const first = must(group[0])
  const last = must(group[group.length - 1])
  if (group.length === 1) return { ...first, before: wholeBefore(first) }
  const before = wholeBefore(first)
  const after = last.after
  if (!before && !after) return null
  const kind: ChangeKind = !before ? 'created' : !after ? 'deleted' : 'changed'
  const changed = !table ? [] : before && after ? differingFields(table, before, after) : changedFields(table, before, after)
  if (kind === 'changed' && changed.length === 0) return null
  return { ...last, kind, before, after, changed, run: group.find((r) => r.run !== null)?.run ?? null, depth: Math.max(...group.map((r) => r.depth)) }
}
