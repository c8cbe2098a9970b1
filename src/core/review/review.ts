import { reviewCue, shapeOf } from '../cues/kinds'
import type { Action, Workflow } from '../document/document'
import { formulaProblem } from '../formula/formula'
import { reviewLimits } from '../limits/review'
import { nearest, unknownField } from '../paths/path'
import { checkRooted, type RootDef, type Roots } from '../paths/roots'
import { fieldOf } from '../values/tables'
import { bringInRoot } from '../workflow/run/bring-in'
import { reviewActions } from './actions'
import { reviewCondition } from './clauses'
import { type Context, type Finding, type ReviewSetting, reporting } from './context'
import { reviewOwn } from './own'
import { reviewText } from './texts'

export { type Finding, isToMend, type ReviewSetting } from './context'

/** Finds everything that keeps a workflow from running, and groups without clauses, all at once. */
export function review(workflow: Workflow, setting: ReviewSetting): Finding[] {
  const findings: Finding[] = []
  const report = reporting(findings)
  const { error } = report
  const table = setting.schema.get(workflow.table)
  if (!table || workflow.table === 'person') {
    if (workflow.table === '') {
      error('unknown table', '/table', 'No table is chosen yet. Choose whose records the workflow waits for.')
      return findings
    }
    const near = nearest(workflow.table, [...setting.schema.keys()])
    error('unknown table', '/table', `There is no table ${JSON.stringify(workflow.table)}.${near ? ` Did you mean ${near}?` : ' Choose one under Records.'}`)
    return findings
  }
  const shape = shapeOf(workflow, table)
  const roots = new Map(shape.roots)
  const context: Context = { setting, table: shape.table, roots, changeParts: shape.changeParts, moves: shape.moves, ...report }
  reviewCue(workflow, table, setting, error)
  if (workflow.conditions) reviewCondition(workflow.conditions, '/conditions', { ...context, table: shape.about ?? table, roots: new Map(shape.tested), moves: true })
  reviewLimits(workflow, error)
  reviewColumns(workflow, context)
  reviewBringIn(workflow, roots, context)
  reviewValues(workflow, roots, context)
  if (!workflow.actions.some((a) => !a.muted)) error('no action', '/actions', 'The workflow does nothing yet. Add an email.')
  reviewExamples(workflow, error)
  reviewNames(workflow.actions, '/actions', new Set(), roots, error)
  reviewActions(workflow.actions, '/actions', 0, context)
  if (setting.onlyTo) reviewOwn(workflow.actions, '/actions', setting.onlyTo, error)
  return findings
}

/** The columns of a digest are paths of the workflow. */
function reviewColumns({ limits }: Workflow, { setting, table, roots, error }: Context): void {
  limits?.digest?.columns?.forEach((path, i) => {
    const rooted = checkRooted(setting.schema, table, roots, path)
    if ('problem' in rooted) error('unknown field', `/limits/digest/columns/${i}`, rooted.problem)
  })
}

/** Examples are told apart by their names. */
function reviewExamples({ examples = [] }: Workflow, error: Context['error']): void {
  examples.forEach(({ name }, i) => {
    if (examples.findIndex((e) => e.name === name) < i) error('same name', `/examples/${i}/name`, `There are two examples called ${JSON.stringify(name)}. Give each its own name.`)
  })
}

const NAME = /^[a-z][a-z0-9_]{0,58}$/
const TAKEN = ['change', 'recipient', 'link', 'why', 'asked', 'figure', 'run']

/** Whether a name can stand for something in paths and placeholders. */
function reviewName(name: string, path: string, { table, roots, error }: Context): void {
  if (name === '') error('no name', path, 'It has no name yet. Give it one, by which paths and placeholders speak of it.')
  else if (!NAME.test(name)) error('faulty name', path, `${JSON.stringify(name)} cannot be used in placeholders: use small letters, digits and _, starting with a letter.`)
  else if (roots.has(name) || TAKEN.includes(name)) error('same name', path, `Something here is called ${JSON.stringify(name)} already. Choose another name.`)
  else if (fieldOf(table, name)) error('same name', path, `${table.label} has a field ${JSON.stringify(name)}, so the name would mean two things. Choose another.`)
}

function reviewBringIn(workflow: Workflow, roots: Map<string, RootDef>, context: Context): void {
  workflow.bringIn?.forEach((bring, i) => {
    if (bring.muted) return
    const path = `/bringIn/${i}`
    reviewName(bring.name, `${path}/name`, context)
    if ((bring.link === undefined) === (bring.list === undefined)) return context.error('wrong shape', path, 'Nothing is chosen to bring in yet. Choose a link or a list.')
    const root = bringInRoot(bring, context.table, { ...context.setting, roots: new Map(roots) })
    if ('problem' in root) return context.error('cannot be brought in', `${path}/${root.part}`, root.problem)
    if (root.kind === 'value') return
    if (bring.where) reviewCondition(bring.where, `${path}/where`, { ...context, table: root.table, roots: new Map(roots) })
    if (bring.order && !fieldOf(root.table, bring.order.replace(/^-/, ''))) context.error('unknown field', `${path}/order`, unknownField(root.table, bring.order.replace(/^-/, '')))
    roots.set(bring.name, root)
  })
}

function reviewValues(workflow: Workflow, roots: Map<string, RootDef>, context: Context): void {
  workflow.values?.forEach((value, i) => {
    const path = `/values/${i}`
    reviewName(value.name, `${path}/name`, context)
    if ((value.formula === undefined) === (value.text === undefined)) return context.error('wrong shape', path, 'The value has neither a formula nor a text yet. Write one.')
    if (value.formula !== undefined) {
      const problem = formulaProblem(value.formula)
      if (problem) context.error('formula does not parse', `${path}/formula`, problem)
    } else reviewText(value.text ?? '', `${path}/text`, 'plain', { ...context, roots: new Map(roots) })
    roots.set(value.name, { kind: 'value' })
  })
}

/** Each action has a name of its own; what a creation makes goes by it, so that it must not be the name of anything else either. */
function reviewNames(actions: readonly Action[], path: string, seen: Set<string>, roots: Roots, error: Context['error']): void {
  actions.forEach((action, i) => {
    if (action.name === '') error('no name', `${path}/${i}/name`, 'The action has no name yet. Give it one, by which the log and other lines speak of it.')
    else if (seen.has(action.name) || (action.do === 'create' && roots.has(action.name)))
      error('same name', `${path}/${i}/name`, `Something here is called ${JSON.stringify(action.name)} already. Give each action its own name.`)
    seen.add(action.name)
    if (action.do === 'each') reviewNames(action.actions, `${path}/${i}/actions`, seen, roots, error)
    if (action.do !== 'choose') return
    action.branches.forEach((branch, b) => {
      reviewNames(branch.actions, `${path}/${i}/branches/${b}/actions`, seen, roots, error)
    })
    reviewNames(action.otherwise ?? [], `${path}/${i}/otherwise`, seen, roots, error)
  })
}
