import { shapeOf } from '../cues/kinds'
import type { Action, Workflow } from '../document/document'
import { pointerNames, valueAt } from '../document/pointer'
import { partsOf } from '../must'
import type { RootDef } from '../paths/roots'
import type { TableDef } from '../values/tables'
import { bringInRoot, type Known } from './run/bring-in'

/**
 * The names that paths can start at where a pointer points: the record's, what was brought in and worked out before it, the entries of
 * the repetitions around it, and records created before it.
 */
export function scopeAt(workflow: Workflow, pointer: string, of: TableDef, setting: Known): Map<string, RootDef> {
  const { table, roots: known, tested } = shapeOf(workflow, of)
  const [part, index] = pointerNames(pointer)
  if (part !== 'bringIn' && part !== 'values' && part !== 'actions') return new Map(tested)
  const roots = new Map<string, RootDef>(known)
  const until = (list: string) => (part === list ? Number(index) : Number.POSITIVE_INFINITY)
  for (const bring of (workflow.bringIn ?? []).slice(0, until('bringIn'))) {
    const root = bring.muted ? { problem: '' } : bringInRoot(bring, table, { ...setting, roots })
    if (!('problem' in root)) roots.set(bring.name, root)
  }
  if (part === 'bringIn') return roots
  for (const value of (workflow.values ?? []).slice(0, until('values'))) roots.set(value.name, { kind: 'value' })
  if (part === 'actions') addActionNames(workflow, pointer, setting, roots)
  return roots
}

/** The table of a list's entries: one that is known by its name, else that which a related list (`table.link`) or a whole table is of; undefined where there is none. */
export function listedTable(list: string, roots: ReadonlyMap<string, RootDef>, schema: Known['schema']): TableDef | undefined {
  const root = roots.get(list)
  return root?.kind === 'list' ? root.table : schema.get(partsOf(list)[0])
}

/** Walks down to an action and gathers what the actions on the way name. */
function addActionNames(workflow: Workflow, pointer: string, { schema }: Known, roots: Map<string, RootDef>): void {
  const names = pointerNames(pointer)
  for (let depth = 1; depth < names.length; depth++) {
    const list = valueAt(workflow, `/${names.slice(0, depth).join('/')}`)
    const index = Number(names[depth])
    if (!Array.isArray(list) || !Number.isInteger(index) || names[depth - 1] === 'branches') continue
    for (const action of list.slice(0, index)) {
      const created = action.do === 'create' ? schema.get(action.table) : undefined
      if (created) roots.set(action.name, { kind: 'record', table: created })
    }
    const holder = list[index] as Action | undefined
    if (holder?.do !== 'each' || depth === names.length - 1) continue
    const table = listedTable(holder.of, roots, schema)
    if (table) roots.set(holder.as, { kind: 'record', table })
  }
}
