import { partsOf } from '../must'
import { fieldOf, type Image, type Schema, type TableDef, targetOf } from '../values/tables'
import { type CheckedPath, checkPath, nearest, unknownField } from './path'

/** What a name that paths can start at stands for. */
export type RootDef = { readonly kind: 'record' | 'list'; readonly table: TableDef } | { readonly kind: 'value' }

/** The names besides the record's own fields that paths can start at, such as things brought in. */
export type Roots = ReadonlyMap<string, RootDef>

/** What a root holds while a workflow runs. */
export type RootValue =
  | { readonly kind: 'record'; readonly table: TableDef; readonly image: Image | null }
  | { readonly kind: 'list'; readonly table: TableDef; readonly images: readonly Image[] }
  | { readonly kind: 'value'; readonly value: unknown }

/** A path with the root it starts at: null for the record itself. `path` is null where the root alone is meant. */
export interface RootedPath {
  readonly root: string | null
  readonly table: TableDef | null
  readonly path: CheckedPath | null
}

/** The names that paths and placeholders start at whatever the table, so that no table's records can be called so. */
export const OWN_ROOTS = ['record', 'records', 'before', 'change', 'recipient', 'link', 'why', 'asked', 'figure', 'run', 'stay', 'tick', 'now', 'today']

/** The roots that every workflow has: the record by three names. */
export function baseRoots(table: TableDef): Map<string, RootDef> {
  return new Map<string, RootDef>([
    ['record', { kind: 'record', table }],
    ['before', { kind: 'record', table }],
    [table.singular, { kind: 'record', table }],
  ])
}

/** Checks a path that may start at a root or at a field of the table; the table's own fields win. */
export function checkRooted(schema: Schema, table: TableDef, roots: Roots, text: string): RootedPath | { problem: string } {
  const [head, ...rest] = partsOf(text)
  if (!fieldOf(table, head)) {
    const root = roots.get(head)
    if (root?.kind === 'value') return rest.length ? { problem: `${head} is a value and has no fields.` } : { root: head, table: null, path: null }
    if (root && rest.length === 0) return { root: head, table: root.table, path: null }
    if (root) {
      const checked = checkPath(schema, root.table, rest.join('.'))
      return 'problem' in checked ? checked : { root: head, table: root.table, path: checked }
    }
    return {
      // made when it is read: most who ask want to know only whether there is one
      get problem() {
        const near = nearest(head, [...table.fields.map((f) => f.name), ...roots.keys()])
        return near && roots.has(near) ? `Nothing here is called ${JSON.stringify(head)}; did you mean ${near}?` : unknownField(table, head)
      },
    }
  }
  const checked = checkPath(schema, table, text)
  return 'problem' in checked ? checked : { root: null, table, path: checked }
}

/** The table of the record that a rooted path ends at: where it ends with a link or a person, what that points at. */
export function endTable(schema: Schema, rooted: RootedPath): TableDef | null {
  if (!rooted.path) return rooted.table
  const target = targetOf(rooted.path.field)
  return (target && schema.get(target)) || null
}
