import { notWaitedFor } from '../cues/record'
import { type Condition, isClause, jointOf, type Operand } from '../document/condition'
import type { Workflow } from '../document/document'
import { must, partsOf } from '../must'
import { checkRooted, endTable } from '../paths/roots'
import { fieldOf, type Schema } from '../values/tables'
import { activeActions, everyRoot } from '../workflow/active'
import { TASK_TABLE } from '../workflow/run/writes'
import type { Finding } from './context'

/** Something that a workflow writes: which table, how, and where it says so. */
interface Effect {
  readonly path: string
  readonly table: string
  readonly kind: 'created' | 'changed'
  readonly fields: readonly string[]
  /** Whether it is the record that fired. */
  readonly own: boolean
}

/** What a workflow writes when it fires. */
function effectsOf(workflow: Workflow, schema: Schema): Effect[] {
  const table = schema.get(workflow.table)
  if (!table) return []
  const roots = everyRoot(workflow, table, schema)
  return activeActions(workflow.actions).flatMap(({ action, path }): Effect[] => {
    if (action.do === 'create') return [{ path, table: action.table, kind: 'created', fields: Object.keys(action.set), own: false }]
    if (action.do === 'task') return [{ path, table: TASK_TABLE, kind: 'created', fields: [], own: false }]
    if (action.do !== 'update') return []
    const own = action.target === undefined || action.target === 'record' || action.target === table.singular
    const rooted = own ? null : checkRooted(schema, table, roots, must(action.target))
    const target = own ? table : rooted && !('problem' in rooted) ? endTable(schema, rooted) : null
    return target ? [{ path, table: target.name, kind: 'changed', fields: Object.keys(action.set), own }] : []
  })
}

/** Whether an effect may fire a workflow. An update can make conditions become true only where it sets a field that they speak of. */
function setsOff(effect: Effect, workflow: Workflow, schema: Schema): boolean {
  const { cue, conditions, firing = 'entering' } = workflow
  if (cue.kind !== 'record' || notWaitedFor(cue, workflow.table, { ...effect, changed: effect.fields }) !== null) return false
  if (effect.kind === 'created') return true
  if (!conditions || firing === 'every') return true
  const table = schema.get(workflow.table)
  const spoken = headsOf(conditions).map((head) => (table && fieldOf(table, head) ? head : null))
  return spoken.some((head) => head === null || effect.fields.includes(head))
}

/** The first names of every path that a condition speaks of; `record.` and `before.` are passed over, and a formula may speak of anything. */
function headsOf(node: Condition): string[] {
  if (!isClause(node)) return jointOf(node)[1].flatMap(headsOf)
  if (node.muted) return []
  const sides = [node.value, node.to].flatMap((side) => headOfOperand(side))
  return [headOf(node.field), ...sides]
}

function headOfOperand(side: Operand | undefined): string[] {
  if (typeof side !== 'object' || side === null || Array.isArray(side)) return []
  if ('field' in side) return [headOf(side.field)]
  return 'formula' in side ? [''] : []
}

function headOf(path: string): string {
  const [first, second] = partsOf(path)
  return (first === 'record' || first === 'before') && second ? second : first
}

/** Warns where a draft sets itself off through what it and the live workflows write, naming the shortest chain. */
export function reviewLoops(draft: Workflow, live: readonly Workflow[], schema: Schema): Finding[] {
  const all = [draft, ...live.filter((w) => w.name !== draft.name)]
  const effects = new Map(all.map((w) => [w.name, effectsOf(w, schema)]))
  const found: Finding[] = []
  for (const effect of effects.get(draft.name) ?? []) {
    const chain = shortest(draft, effect, all, effects, schema)
    if (chain) found.push({ level: 'warning', code: 'loop', path: effect.path, message: sentence(draft, chain) })
  }
  return found
}

interface Chain {
  readonly names: readonly string[]
  /** Whether every step writes to the record that fired, so that each fires once for it. */
  readonly own: boolean
}

function shortest(draft: Workflow, first: Effect, all: readonly Workflow[], effects: ReadonlyMap<string, readonly Effect[]>, schema: Schema): Chain | null {
  let open: { effect: Effect; chain: Chain }[] = [{ effect: first, chain: { names: [draft.name], own: first.own } }]
  const seen = new Set<string>()
  while (open.length > 0) {
    const next: typeof open = []
    for (const { effect, chain } of open) {
      for (const workflow of all.filter((w) => setsOff(effect, w, schema))) {
        // a workflow is never set off again for the same record by its own effects, unless it says so
        if (workflow.name === draft.name) {
          if (chain.own && chain.names.length === 1 && !draft.refire) continue
          return { names: [...chain.names, draft.name], own: chain.own && !draft.refire }
        }
        if (seen.has(workflow.name)) continue
        seen.add(workflow.name)
        for (const e of effects.get(workflow.name) ?? []) next.push({ effect: e, chain: { names: [...chain.names, workflow.name], own: chain.own && e.own } })
      }
    }
    open = next
  }
  return null
}

function sentence(draft: Workflow, { names, own }: Chain): string {
  const [, ...others] = names
  const between = others.slice(0, -1)
  const what = between.length
    ? `What it writes here sets off ${between.map((n) => `“${n}”`).join(', which sets off ')}, which sets this one off again.`
    : 'What it writes here sets it off again.'
  return own && !draft.refire
    ? `${what} Each fires once for the record and then stops. Narrow one of them if that is not meant.`
    : `${what} Such a chain is stopped after 12 runs, and the last one fails. Narrow one of them by a condition that what is written does not meet.`
}
