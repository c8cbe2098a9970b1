import { partsOf } from '../../must'
import { checkRooted, type Roots } from '../../paths/roots'
import { type RecipientFacts, type Resolved, resolvePath } from '../../recipients/recipients'
import { fieldOf, type Image, idOf, type TableDef } from '../../values/tables'
import type { RunState } from './state'
import { compileText } from './values'

/** Paths as they were checked, for each set of names they can start at: a workflow reads the same few in every run. */
const checked = new WeakMap<Roots, Map<string, ReturnType<typeof checkRooted>>>()

function checkedOnce(run: RunState, roots: Roots, path: string): ReturnType<typeof checkRooted> {
  const known = checked.get(roots) ?? new Map<string, ReturnType<typeof checkRooted>>()
  checked.set(roots, known)
  const found = known.get(path) ?? checkRooted(run.surroundings.schema, run.table, roots, path)
  known.set(path, found)
  return found
}

/** Reads a path in a run, from the record or from a name that paths can start at. @throws Error when there is no such path */
export function resolveIn(run: RunState, roots: Roots, path: string): Resolved {
  const rooted = checkedOnce(run, roots, path)
  if ('problem' in rooted) throw new Error(rooted.problem)
  const held = rooted.root === null ? ({ kind: 'record', table: run.table, image: run.record() } as const) : run.root(rooted.root)
  if (!rooted.path) {
    if (held?.kind === 'record') return { value: held.image?.id, target: held.table.name, holder: null }
    return { value: held?.kind === 'value' ? (held.value as Resolved['value']) : null, target: undefined, holder: null }
  }
  return resolvePath(held?.kind === 'record' ? held.image : null, rooted.path, run.surroundings.schema, run.lookups)
}

/** The entries of a list: one that was brought in, or a related list of the record named `table.linkField`. */
export function listIn(run: RunState, name: string): { table: TableDef; images: readonly Image[] } | null {
  const held = run.root(name)
  if (held?.kind === 'list') return held
  if (held?.kind === 'value' && Array.isArray(held.value)) return null
  const [table, field] = partsOf(name)
  const target = run.surroundings.schema.get(table)
  if (!target || field === undefined || !fieldOf(target, field) || run.table.none !== undefined) return null
  return { table: target, images: run.lookups.list({ table, link: { field, id: idOf(run.record()) } }) }
}

/** What recipients are worked out from in a run. */
export function recipientFacts(run: RunState, roots: Roots): RecipientFacts {
  return {
    schema: run.surroundings.schema,
    table: run.table,
    by: run.occasion.by,
    lookups: run.lookups,
    resolve: (path) => resolveIn(run, roots, path),
    list: (name) => listIn(run, name),
    renderText: (source) => compileText(source, run.surroundings, 'addresses')(run),
  }
}
