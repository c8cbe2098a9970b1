import { shapeOf } from '../cues/kinds'
import type { Action, Workflow } from '../document/document'
import { must } from '../must'
import { checkRooted, endTable, type RootDef } from '../paths/roots'
import type { Schema, TableDef } from '../values/tables'
import { bringInRoot } from './run/bring-in'

/** An action that is not muted, nor stands under one that is, with its JSON Pointer. */
export interface Placed<A extends Action = Action> {
  readonly action: A
  readonly path: string
}

/** Every action of a workflow that runs, those under others included, in reading order. */
export function activeActions(actions: readonly Action[], path = '/actions'): Placed[] {
  return actions.flatMap((action, i) => {
    const at = `${path}/${i}`
    if (action.muted) return []
    if (action.do === 'each') return [{ action, path: at }, ...activeActions(action.actions, `${at}/actions`)]
    if (action.do === 'choose')
      return [
        { action, path: at },
        ...action.branches.flatMap((b, n) => activeActions(b.actions, `${at}/branches/${n}/actions`)),
        ...activeActions(action.otherwise ?? [], `${at}/otherwise`),
      ]
    return [{ action, path: at }]
  })
}

/** What every name of a workflow stands for, wherever it is known: things brought in, values, entries gone through, records created. */
export function everyRoot(workflow: Workflow, of: TableDef, schema: Schema): Map<string, RootDef> {
  const { table, roots: known } = shapeOf(workflow, of)
  const roots = new Map<string, RootDef>(known)
  for (const bring of workflow.bringIn ?? []) {
    const root = bringInRoot(bring, table, { schema, roots })
    if (!('problem' in root)) roots.set(bring.name, root)
  }
  for (const { name } of workflow.values ?? []) roots.set(name, { kind: 'value' })
  for (const { action } of activeActions(workflow.actions)) {
    if (action.do === 'create') {
      const created = schema.get(action.table)
      if (created) roots.set(action.name, { kind: 'record', table: created })
    }
    if (action.do !== 'each') continue
    const rooted = checkRooted(schema, table, roots, action.of)
    const entries = 'problem' in rooted ? relatedList(action.of, schema) : endTable(schema, rooted)
    if (entries) roots.set(action.as, { kind: 'record', table: entries })
  }
  return roots
}

/** The table of a related list that is named `table.linkField`. */
const relatedList = (name: string, schema: Schema): TableDef | null => schema.get(must(name.split('.')[0])) ?? null
