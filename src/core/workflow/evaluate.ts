import type { Change } from '../changes/change'
import { hasFormula } from '../conditions/clause'
import { type CompiledCondition, compileCondition, type Facts } from '../conditions/compile'
import { notWaitedFor } from '../cues/record'
import type { Action, RecordCue, Workflow } from '../document/document'
import { type Loaded, LoadedLookups, type Lookups, type Need } from '../paths/lookups'
import { baseRoots, type RootDef } from '../paths/roots'
import { addressKey } from '../recipients/address'
import { Budget, RUN_STEPS } from '../values/budget'
import type { TableDef } from '../values/tables'
import { activeActions } from './active'
import { type Decision, fires, nothing, type Plan, type PlannedMessage } from './plan'
import { compileActions } from './run/action'
import { bringInRoot, compileBringIn } from './run/bring-in'
import type { ActionSetting, Performer } from './run/setting'
import { RunState } from './run/state'
import { compileValue } from './run/values'
import type { Surroundings } from './surroundings'

export type { Mailbox, Plan, PlannedMessage } from './plan'

/** A workflow ready to be tried against changes. */
export interface CompiledWorkflow {
  readonly workflow: Workflow
  readonly table: TableDef
  readonly cue: RecordCue
  readonly condition: CompiledCondition | null
  /** Whether its conditions have formulas, so that they may take their time. */
  readonly usesFormulas: boolean
  /** Brings in what the actions need, works the values out, and does the actions. */
  readonly perform: Performer
  readonly surroundings: Surroundings
}

/**
 * Compiles a workflow whose review found no errors.
 * @throws Error when a part does not fit
 */
export function compileWorkflow(workflow: Workflow, surroundings: Surroundings): CompiledWorkflow {
  const table = surroundings.schema.get(workflow.table)
  if (!table) throw new Error(`There is no table ${workflow.table}.`)
  if (workflow.cue.kind !== 'record') throw new Error(`A ${workflow.cue.kind} cue cannot be compiled for changes.`)
  const condition = workflow.conditions ? compileCondition(workflow.conditions, table, { ...surroundings, roots: baseRoots(table) }, '/conditions') : null
  const usesFormulas = workflow.conditions !== undefined && hasFormula(workflow.conditions)
  const around = surroundings.outline && mayRepeatMail(workflow.actions) ? { ...surroundings, outline: false } : surroundings
  return { workflow, table, cue: workflow.cue, condition, usesFormulas, perform: compilePerformance(workflow, table, around), surroundings: around }
}

/** Whether a run may write to somebody twice, so that what the mails say decides how many go. */
function mayRepeatMail(actions: readonly Action[]): boolean {
  const emails = activeActions(actions).filter(({ action }) => action.do === 'email')
  return emails.length > 1 || emails.some(({ path }) => activeActions(actions).some(({ action, path: at }) => action.do === 'each' && path.startsWith(`${at}/`)))
}

function compilePerformance(workflow: Workflow, table: TableDef, surroundings: Surroundings): Performer {
  const roots = new Map<string, RootDef>(baseRoots(table))
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
 * Decides what a workflow does about a change; pure, the same for live, dry run, rehearsal and why.
 * While `lookups.lacking()` afterwards, the plan is to be thrown away, the lack loaded, and this called again: see `evaluateOrNeed`.
 */
export function evaluate(compiled: CompiledWorkflow, change: Change, lookups: Lookups, explain: boolean, how: Evaluation = {}): Plan {
  const { cue, table } = compiled
  const unasked = notWaitedFor(cue, table.name, change)
  if (unasked) return nothing(unasked, decisionWords(unasked, compiled, change))
  const budget = budgetOf(how)
  const facts = factsOf(compiled.surroundings, change, lookups, budget)
  if (!isTheirs(compiled, facts)) return nothing('of somebody else', decisionWords('of somebody else', compiled, change))
  const decision = decide(compiled, facts)
  const why = decisionWords(decision, compiled, change)
  if (!explain && !fires(decision)) return nothing(decision, why)
  const clauses = compiled.condition?.explain(facts) ?? []
  if (!fires(decision) || lookups.lacking()) return nothing(decision, why, clauses)
  const run = new RunState(table, change, compiled.surroundings, lookups, how.key ?? `${compiled.workflow.name} ${change.id}`, budget)
  compiled.perform(run)
  return planOf(run, decision, why, clauses)
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
    for (const { address } of [...message.to, ...message.cc, ...message.bcc]) {
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
export function evaluateOrNeed(compiled: CompiledWorkflow, change: Change, loaded: Loaded, explain: boolean, how: Evaluation = {}): { plan: Plan } | { needs: readonly Need[] } {
  const lookups = new LoadedLookups(loaded)
  const plan = evaluate(compiled, change, lookups, explain, how)
  return lookups.lacking() ? { needs: lookups.needs() } : { plan }
}

/** What conditions on a change are tested on. */
export function factsOf({ organisation }: Surroundings, { kind, before, after, at, by }: Change, lookups: Lookups, budget?: Budget): Facts {
  return { kind, before, after, at, by, lookups, organisation, budget }
}

/** Whether the record is of somebody whose records count. */
function isTheirs(compiled: CompiledWorkflow, facts: Facts): boolean {
  const { whose } = compiled.cue
  if (!whose) return true
  const field = compiled.table.ownerField
  const id = field ? (facts.after ?? facts.before)?.[field] : null
  const owner = id === null || id === undefined ? null : facts.lookups.record('person', Number(id))
  if ('team' in whose) return owner?.team === whose.team
  return String(owner?.email ?? '').toLowerCase() === whose.person.toLowerCase()
}

/** Whether the conditions let a change fire the workflow, and how. */
function decide({ condition, workflow }: CompiledWorkflow, facts: Facts): Decision {
  if (!condition) return 'unconditional'
  if (!condition.test(facts)) return 'fails'
  if (facts.kind !== 'changed' || workflow.firing === 'every') return 'holds'
  return condition.test({ ...facts, after: facts.before }) ? 'held before' : 'enters'
}

/** A decision in a sentence. */
function decisionWords(decision: Decision, { cue, table }: CompiledWorkflow, change: Change): string {
  const what = `The ${table.singular} was ${change.kind}`
  switch (decision) {
    case 'of another table':
      return `The change is of a ${change.table}, not a ${table.singular}.`
    case 'of another kind':
      return `${what}; the cue waits for ${cue.on.join(' or ')}.`
    case 'no change':
      return `Nothing changes: every field of the ${table.singular} stays as it is.`
    case 'in other fields':
      return `None of ${cue.fields?.join(', ')} changed.`
    case 'of somebody else':
      return cue.whose && 'team' in cue.whose ? `The owner is not of the team ${cue.whose.team}.` : `The owner is not ${cue.whose?.person}.`
    case 'not looked at':
      return 'It was not looked at.'
    case 'unconditional':
      return `${what}, and there are no conditions.`
    case 'fails':
      return `${what}, but the conditions do not hold.`
    case 'holds':
      return `${what}, and the conditions hold.`
    case 'held before':
      return 'The conditions hold, but they held already before this change.'
    case 'enters':
      return `${what}, and the conditions hold as they did not before.`
  }
}

/** Whether the cue waits for a change of this kind and in these fields. */
export const isCued = ({ cue, table }: CompiledWorkflow, change: Change): boolean => notWaitedFor(cue, table.name, change) === null

/**
 * Whether a change can fire a workflow, decided as `evaluate` decides but without explaining or planning anything; most changes
 * fire nothing, and cost no more than this. While `facts.lookups` lacks something, the answer counts for nothing.
 */
export function canFire(compiled: CompiledWorkflow, change: Change, facts: Facts): boolean {
  return isCued(compiled, change) && isTheirs(compiled, facts) && fires(decide(compiled, facts))
}
