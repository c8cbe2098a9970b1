import { hasFormula } from '../conditions/clause'
import { compileCondition } from '../conditions/compile'
import type { CueShape } from '../cues/cue'
import { shapeOf } from '../cues/kinds'
import { type Occasion, standingOf } from '../cues/occasion'
import { heldInBetween } from '../cues/stay'
import type { Condition } from '../document/condition'
import type { Action, Workflow } from '../document/document'
import { type Loaded, LoadedLookups, type Lookups, type Need } from '../paths/lookups'
import type { RootDef } from '../paths/roots'
import { addressKey } from '../recipients/address'
import { Budget, RUN_STEPS } from '../values/budget'
import { idFrom, targetOf, titleOf } from '../values/tables'
import { activeActions } from './active'
import type { CompiledWorkflow } from './compiled'
import { decisionWords } from './decision-words'
import { judge } from './judge'
import { type Decision, everybody, fires, nothing, type Plan, type PlannedMessage } from './plan'
import { compileActions } from './run/action'
import { bringInRoot, compileBringIn } from './run/bring-in'
import { compileColumns } from './run/columns'
import type { ActionSetting, Performer } from './run/setting'
import { RunState } from './run/state'
import { compileValue } from './run/values'
import type { Surroundings } from './surroundings'

export type { Mailbox, Plan, PlannedMessage } from './plan'

/**
 * Compiles a workflow whose review found no errors.
 * @throws Error when a part does not fit
 */
export function compileWorkflow(workflow: Workflow, surroundings: Surroundings): CompiledWorkflow {
  const table = surroundings.schema.get(workflow.table)
  if (!table) throw new Error(`There is no table ${workflow.table}.`)
  const { cue, conditions } = workflow
  const shape = shapeOf(workflow, table)
  const compiledOf = (node: Condition | undefined) => (node ? compileCondition(node, shape.about ?? table, { ...surroundings, roots: shape.tested }, '/conditions') : null)
  const usesFormulas = conditions !== undefined && hasFormula(conditions)
  const around = surroundings.outline && mayRepeatMail(workflow.actions) ? { ...surroundings, outline: false } : surroundings
  return {
    workflow,
    table,
    cue,
    shape,
    condition: compiledOf(conditions),
    inBetween: cue.kind === 'record' && cue.stays !== undefined ? compiledOf(conditions && heldInBetween(conditions)) : null,
    usesFormulas,
    perform: compilePerformance(workflow, shape, around),
    columns: compileColumns(workflow, shape, around),
    surroundings: around,
  }
}

/** Whether a run may write to somebody twice, so that what the mails say decides how many go. */
function mayRepeatMail(actions: readonly Action[]): boolean {
  const emails = activeActions(actions).filter(({ action }) => action.do === 'email')
  return emails.length > 1 || emails.some(({ path }) => activeActions(actions).some(({ action, path: at }) => action.do === 'each' && path.startsWith(`${at}/`)))
}

function compilePerformance(workflow: Workflow, { table, roots: known }: CueShape, surroundings: Surroundings): Performer {
  const roots = new Map<string, RootDef>(known)
  const steps: Performer[] = []
  for (const [i, bring] of (workflow.bringIn ?? []).entries()) {
    if (bring.muted) continue
    const setting = { ...surroundings, roots: new Map(roots) }
    const root = bringInRoot(bring, table, setting)
    const fetch = compileBringIn(bring, table, setting)
    steps.push((run) => {
      fetch(run)
      run.hold(`/bringIn/${i}`, bring.name)
    })
    if (!('problem' in root)) roots.set(bring.name, root)
  }
  for (const [i, { name, formula, text }] of (workflow.values ?? []).entries()) {
    const read = compileValue(formula === undefined ? { text: text ?? '' } : { formula }, table, surroundings, surroundings)
    steps.push((run) => {
      run.roots.set(name, { kind: 'value', value: read(run) })
      run.hold(`/values/${i}`, name)
    })
    roots.set(name, { kind: 'value' })
  }
  const setting: ActionSetting = { ...surroundings, roots, table, surroundings, compileActions }
  const act = compileActions(workflow.actions, '/actions', setting)
  return (run) => {
    for (const step of steps) {
      step(run)
      if (run.lookups.lacking()) return
    }
    act(run)
  }
}

/** How an evaluation is done. */
export interface Evaluation {
  /** Tells this run from all others that are worked out over the same data. */
  readonly key?: string
  /** Tells that time is up for evaluating here; then TakesLong is thrown. */
  readonly isOver?: () => boolean
}

/** What one evaluation may spend. */
export const budgetOf = ({ isOver }: Evaluation): Budget => new Budget(RUN_STEPS, 'The run', isOver)

/**
 * Decides what a workflow does about an occasion; pure, the same for live, dry run, rehearsal and why.
 * While `lookups.lacking()` afterwards, the plan is to be thrown away, the lack loaded, and this called again: see `evaluateOrNeed`.
 */
export function evaluate(compiled: CompiledWorkflow, occasion: Occasion, lookups: Lookups, explain: boolean, how: Evaluation = {}): Plan {
  const budget = budgetOf(how)
  const judged = judge(compiled, occasion, lookups, budget)
  const why = decisionWords(judged.decision, compiled, occasion)
  const { decision, facts } = judged
  if (!facts || (!explain && !fires(decision))) return nothing(decision, why)
  const clauses = occasion.record === null && !standingOf(occasion) ? [] : (compiled.condition?.explain(facts) ?? [])
  if (!fires(decision) || lookups.lacking()) return nothing(decision, why, clauses)
  const run = new RunState(
    compiled.shape.table,
    occasion,
    compiled.surroundings,
    lookups,
    how.key ?? `${compiled.workflow.name} ${occasion.key}`,
    budget,
    compiled.workflow.limits?.mayStop,
  )
  for (const [name, held] of judged.roots ?? []) run.roots.set(name, held)
  compiled.perform(run)
  const whose = whoseOf(run, occasion)
  const columns = compiled.columns?.(run)
  return { ...planOf(run, decision, why, clauses), ...(whose === null ? {} : { whose }), ...(columns ? { columns } : {}) }
}

/** Whom, or what group, a run is for that is of no one record, in words. */
function whoseOf({ roots, lookups, surroundings }: RunState, occasion: Occasion): string | null {
  const owner = roots.get('owner')
  if (occasion.kind === 'tick' && owner?.kind === 'record' && owner.image?.name) return String(owner.image.name)
  const standing = standingOf(occasion)
  const figure = roots.get('figure')
  if (!standing || figure?.kind !== 'record') return null
  const field = figure.table.fields.find((f) => f.name === 'group')
  const value = `${occasion.kind === 'crossing' ? `${occasion.crossing.before ?? 'blank'} to ` : ''}${standing.value ?? 'blank'}`
  if (!field) return value
  const target = surroundings.schema.get(targetOf(field) ?? '')
  const id = idFrom(standing.group)
  const image = target && id !== null ? lookups.record(target.name, id) : null
  const group =
    standing.group === null ? `no ${field.label.toLowerCase()}` : target ? (image ? titleOf(target, image) : `${target.singular} ${standing.group}`) : String(standing.group)
  return `${group}, ${value}`
}

/** Leaves those out of a message who got the very same one in this run; a message that nobody is left of is not sent. */
function withoutRepeats(run: RunState): readonly PlannedMessage[] {
  const written = new Map<string, Set<string>>()
  return run.messages.flatMap((message) => {
    const says = JSON.stringify([message.from, message.replyTo, message.subject, message.html, message.text, message.attachments])
    const seen = written.get(says) ?? new Set<string>()
    written.set(says, seen)
    const isNew = ({ address }: { address: string }) => !seen.has(addressKey(address))
    const [to, cc, bcc] = [message.to.filter(isNew), message.cc.filter(isNew), message.bcc.filter(isNew)]
    for (const { address } of everybody(message)) {
      if (!isNew({ address })) run.notes.push({ code: 'same mail', path: message.path, message: `${address} gets this very mail already, so it is sent once.` })
      seen.add(addressKey(address))
    }
    return to.length ? [{ ...message, to, cc, bcc }] : []
  })
}

function planOf(run: RunState, decision: Decision, why: string, clauses: Plan['clauses']): Plan {
  const { notices, tasks, writes, notes, held } = run
  const messages = run.messages.length > 1 && !run.surroundings.outline ? withoutRepeats(run) : run.messages
  return {
    fires: fires(decision),
    decision,
    why,
    clauses,
    messages,
    notices,
    tasks,
    writes,
    notes,
    held,
    updates: writes.filter((w) => w.do === 'update'),
    creates: writes.filter((w) => w.do === 'create').filter((w) => !tasks.some((t) => t.path === w.path)),
  }
}

/** Evaluates over loaded data; answers the plan, or what has to be loaded first. */
export function evaluateOrNeed(
  compiled: CompiledWorkflow,
  occasion: Occasion,
  loaded: Loaded,
  explain: boolean,
  how: Evaluation = {},
): { plan: Plan } | { needs: readonly Need[] } {
  const lookups = new LoadedLookups(loaded)
  const plan = evaluate(compiled, occasion, lookups, explain, how)
  return lookups.lacking() ? { needs: lookups.needs() } : { plan }
}
