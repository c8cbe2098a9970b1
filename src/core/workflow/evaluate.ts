import type { Change } from '../changes/change'
import { hasFormula, isRelativeToClock, isWorkedOut, lettingThrough } from '../conditions/clause'
import { type CompiledCondition, compileCondition, type Facts } from '../conditions/compile'
import { type CueShape, withArticle } from '../cues/cue'
import { shapeOf } from '../cues/kinds'
import { CLOCK, type Occasion, type PressOccasion, type TickOccasion } from '../cues/occasion'
import { notWaitedFor } from '../cues/record'
import { heldInBetween } from '../cues/stay'
import { type Condition, joined, jointOf } from '../document/condition'
import type { Action, Cue, RecordCue, Workflow } from '../document/document'
import { type Loaded, LoadedLookups, type Lookups, type Need } from '../paths/lookups'
import type { RootDef, RootValue } from '../paths/roots'
import { addressKey } from '../recipients/address'
import { Budget, RUN_STEPS } from '../values/budget'
import { durationWords } from '../values/duration'
import { type Image, PERSON_TABLE, type TableDef } from '../values/tables'
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
  readonly cue: Cue
  /** What its paths and texts start from. */
  readonly shape: CueShape
  readonly condition: CompiledCondition | null
  /** What must hold at every change in between, where it waits for something to stay so. */
  readonly inBetween: CompiledCondition | null
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
  const { cue, conditions } = workflow
  const shape = shapeOf(workflow, table)
  const compiledOf = (node: Condition | undefined) => (node ? compileCondition(node, table, { ...surroundings, roots: shape.tested }, '/conditions') : null)
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
  const clauses = occasion.record === null ? [] : (compiled.condition?.explain(facts) ?? [])
  if (!fires(decision) || lookups.lacking()) return nothing(decision, why, clauses)
  const run = new RunState(compiled.shape.table, occasion, compiled.surroundings, lookups, how.key ?? `${compiled.workflow.name} ${occasion.key}`, budget)
  for (const [name, held] of judged.roots ?? []) run.roots.set(name, held)
  compiled.perform(run)
  const owner = run.roots.get('owner')
  const whose = occasion.kind === 'tick' && owner?.kind === 'record' && owner.image?.name ? { whose: String(owner.image.name) } : {}
  return { ...planOf(run, decision, why, clauses), ...whose }
}

/** What was decided, what conditions were tested on, and what the occasion's own names hold. */
interface Judged {
  readonly decision: Decision
  readonly facts: Facts | null
  readonly roots?: readonly (readonly [string, RootValue])[]
}

/** Whether a workflow waits for an occasion and its conditions allow it. */
function judge(compiled: CompiledWorkflow, occasion: Occasion, lookups: Lookups, budget: Budget): Judged {
  switch (occasion.kind) {
    case 'change':
      return judgeChange(compiled, occasion.change, lookups, budget)
    case 'stay':
      return judgeStay(compiled, occasion, lookups, budget)
    case 'tick':
      return judgeTick(compiled, occasion, lookups, budget)
    case 'press':
      return judgePress(compiled, occasion, lookups, budget)
  }
}

function judgeChange(compiled: CompiledWorkflow, change: Change, lookups: Lookups, budget: Budget): Judged {
  const { cue, table } = compiled
  const unasked = cue.kind === 'record' ? notWaitedFor(cue, table.name, change) : 'another occasion'
  if (unasked) return { decision: unasked, facts: null }
  const facts = factsOf(compiled.surroundings, change, lookups, budget)
  return isTheirs(compiled, facts) ? { decision: decide(compiled, facts), facts } : { decision: 'of somebody else', facts: null }
}

function judgeStay(compiled: CompiledWorkflow, occasion: Extract<Occasion, { kind: 'stay' }>, lookups: Lookups, budget: Budget): Judged {
  if (compiled.cue.kind !== 'record') return { decision: 'another occasion', facts: null }
  const facts = standingFacts(compiled.surroundings, occasion, occasion.after, lookups, budget)
  const stay: RootValue = { kind: 'record', table: tableOf(compiled, 'stay'), image: { since: occasion.since.toISOString() } }
  if (!isTheirs(compiled, facts)) return { decision: 'of somebody else', facts: null }
  return { decision: !compiled.condition || compiled.condition.test(facts) ? 'stayed' : 'fails', facts, roots: [['stay', stay]] }
}

function judgeTick(compiled: CompiledWorkflow, occasion: TickOccasion, lookups: Lookups, budget: Budget): Judged {
  const { cue, workflow } = compiled
  if (cue.kind !== 'timetable' || cue.per !== occasion.per) return { decision: 'another occasion', facts: null }
  const facts = standingFacts(compiled.surroundings, occasion, occasion.after, lookups, budget)
  const tick: readonly [string, RootValue] = ['tick', { kind: 'record', table: tableOf(compiled, 'tick'), image: { at: occasion.at.toISOString() } }]
  if (occasion.per === 'record') {
    const holds = !compiled.condition || compiled.condition.test(facts)
    const decision = !holds ? 'fails' : workflow.firing === 'every' || occasion.fitted === false ? 'fits' : occasion.fitted ? 'fitted before' : 'fits'
    return { decision, facts, roots: [tick] }
  }
  const images = fitting(compiled, facts, ownersOnly(compiled, occasion), cue.order)
  const records: readonly [string, RootValue] = ['records', { kind: 'list', table: compiled.table, images }]
  const decision = images.length > 0 || (occasion.per === 'all' && cue.evenIfNone) ? 'fits' : 'none fits'
  if (occasion.owner === null) return { decision, facts, roots: [tick, records] }
  const owner: RootValue = { kind: 'record', table: PERSON_TABLE, image: lookups.record('person', occasion.owner) }
  return { decision, facts, roots: [tick, records, ['owner', owner]] }
}

function judgePress(compiled: CompiledWorkflow, occasion: PressOccasion, lookups: Lookups, budget: Budget): Judged {
  const { cue } = compiled
  if (cue.kind !== 'by hand' || (cue.per ?? 'record') !== occasion.per) return { decision: 'another occasion', facts: null }
  const asked: readonly (readonly [string, RootValue])[] = compiled.shape.roots.has('asked')
    ? [['asked', { kind: 'record', table: tableOf(compiled, 'asked'), image: occasion.asked }]]
    : []
  const held = new Map(asked)
  const plain = standingFacts(compiled.surroundings, occasion, occasion.after, lookups, budget)
  const facts: Facts = {
    ...plain,
    root: (name) => held.get(name) ?? (name === 'record' || name === compiled.table.singular ? { kind: 'record', table: compiled.table, image: plain.after } : undefined),
  }
  if (occasion.per === 'none') return { decision: 'pressed', facts, roots: asked }
  if (occasion.per === 'record') return { decision: !compiled.condition || compiled.condition.test(facts) ? 'pressed' : 'fails', facts, roots: asked }
  const images = fitting(compiled, facts, [{ field: 'id', op: 'is one of', value: [...occasion.records] }], undefined)
  return { decision: images.length > 0 ? 'pressed' : 'none fits', facts, roots: [...asked, ['records', { kind: 'list', table: compiled.table, images }]] }
}

/** The table that a name of the cue has its fields from. */
function tableOf({ shape, table }: CompiledWorkflow, name: string): TableDef {
  const root = shape.roots.get(name)
  return root && root.kind !== 'value' ? root.table : table
}

/** The clause that keeps a tick to the records of one owner. */
function ownersOnly({ table }: CompiledWorkflow, { owner }: TickOccasion): Condition[] {
  return owner !== null && table.ownerField ? [{ field: table.ownerField, op: 'is', value: owner }] : []
}

/** The records of a workflow's table that fit its conditions, and others. */
function fitting(compiled: CompiledWorkflow, facts: Facts, others: readonly Condition[], order: string | undefined): readonly Image[] {
  const { workflow, table, condition, usesFormulas } = compiled
  const own = workflow.conditions && settledOn(workflow.conditions, facts)
  const where = { all: [...others, ...(own ? [own] : [])] }
  const at = own && isRelativeToClock(own) ? { at: facts.at.toISOString() } : {}
  const images = facts.lookups.list({ table: table.name, ...(where.all.length ? { where } : {}), ...(order ? { order } : {}), ...at })
  return usesFormulas && condition ? images.filter((image) => condition.test({ ...facts, before: image, after: image })) : images
}

/** Conditions as a query can have them: formulas let everything through, and are worked out for what it finds. */
export const asQuery = (condition: Condition): Condition => lettingThrough(condition, isWorkedOut)

/** The same, with the answers of a press in the place of their paths. */
function settledOn(condition: Condition, facts: Facts): Condition {
  const settled = (operand: unknown): unknown => {
    if (typeof operand !== 'object' || operand === null || !('field' in operand) || !String(operand.field).startsWith('asked.')) return operand
    const held = facts.root?.('asked')
    return held?.kind === 'record' ? (held.image?.[String(operand.field).slice('asked.'.length)] ?? null) : null
  }
  const walk = (node: Condition): Condition => {
    if ('op' in node) return { ...node, ...('value' in node ? { value: settled(node.value) as never } : {}), ...('to' in node ? { to: settled(node.to) as never } : {}) }
    const [joint, children] = jointOf(node)
    return joined(joint, children.map(walk))
  }
  return walk(asQuery(condition))
}

/** What conditions are tested on where a record stands as it is: nothing has changed. */
export function standingFacts({ organisation }: Surroundings, { at, by }: Pick<Occasion, 'at' | 'by'>, image: Image | null, lookups: Lookups, budget?: Budget): Facts {
  return { kind: 'changed', before: image, after: image, at, by, lookups, organisation, budget }
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

/** What conditions on a change are tested on. */
export function factsOf({ organisation }: Surroundings, { kind, before, after, at, by }: Change, lookups: Lookups, budget?: Budget): Facts {
  return { kind, before, after, at, by, lookups, organisation, budget }
}

/** Whether the record is of somebody whose records count. */
function isTheirs(compiled: CompiledWorkflow, facts: Facts): boolean {
  const whose = compiled.cue.kind === 'record' ? compiled.cue.whose : undefined
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
function decisionWords(decision: Decision, { cue, table, workflow }: CompiledWorkflow, occasion: Occasion): string {
  const noun = table.singular.replaceAll('_', ' ')
  const what = occasion.change ? `The ${noun} was ${occasion.change.kind}` : `The ${noun} stands as it is`
  switch (decision) {
    case 'another occasion':
      return 'The workflow waits for something else.'
    case 'of another table':
      return `The change is of a ${occasion.table}, not a ${noun}.`
    case 'of another kind':
      return `${what}; the cue waits for ${cue.kind === 'record' ? cue.on.join(' or ') : cue.kind}.`
    case 'no change':
      return `Nothing changes: every field of the ${noun} stays as it is.`
    case 'in other fields':
      return `None of ${cue.kind === 'record' ? cue.fields?.join(', ') : ''} changed.`
    case 'of somebody else':
      return whoseSentence(cue)
    case 'not looked at':
      return 'It was not looked at.'
    case 'unconditional':
      return `${what}, and there are no conditions.`
    case 'fails':
      return occasion.kind === 'change'
        ? `${what}, but the conditions do not hold.`
        : `${capital(withArticle(noun))} fits only where the conditions hold; for this one they do not.`
    case 'holds':
      return `${what}, and the conditions hold.`
    case 'held before':
      return 'The conditions hold, but they held already before this change.'
    case 'enters':
      return `${what}, and the conditions hold as they did not before.`
    case 'stayed':
      return `The conditions became true and held for ${cue.kind === 'record' && cue.stays ? durationWords(cue.stays) : 'as long as was asked'}.`
    case 'broken':
      return 'The conditions became true, and were broken before the time was over.'
    case 'still waits':
      return 'The conditions became true, and it waits whether they stay so.'
    case 'fits':
      return occasion.record === null
        ? 'The timetable came, and there are records that fit.'
        : workflow.firing === 'every'
          ? `The timetable came, and the ${noun} fits.`
          : `The timetable came, and the ${noun} fits as it did not at the moment before.`
    case 'fitted before':
      return `The ${noun} fits, but it did already when the timetable came before.`
    case 'none fits':
      return `No ${noun} fits, so there is nothing to do.`
    case 'pressed':
      return `${occasion.by.name} ran it by hand.`
  }
}

function whoseSentence(cue: Cue): string {
  const whose = cue.kind === 'record' ? cue.whose : undefined
  return whose && 'team' in whose ? `The owner is not of the team ${whose.team}.` : `The owner is not ${whose?.person}.`
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** Whether the cue waits for a change of this kind and in these fields. */
export const isCued = ({ cue, table }: CompiledWorkflow, change: Change): boolean => cue.kind === 'record' && notWaitedFor(cue, table.name, change) === null

/**
 * Whether a change can fire a workflow, decided as `evaluate` decides but without explaining or planning anything; most changes
 * fire nothing, and cost no more than this. While `facts.lookups` lacks something, the answer counts for nothing.
 */
export function canFire(compiled: CompiledWorkflow, change: Change, facts: Facts): boolean {
  return isCued(compiled, change) && isTheirs(compiled, facts) && fires(decide(compiled, facts))
}

/** Whether a record that waits for its conditions to stay so still does after a change; clauses that go by the clock are judged when the time is over. */
export function staysSo(compiled: CompiledWorkflow, change: Change, lookups: Lookups): boolean {
  if (!change.after) return false
  const facts = standingFacts(compiled.surroundings, change, change.after, lookups)
  return isTheirs(compiled, facts) && (compiled.inBetween?.test(facts) ?? true)
}

/** The records of a workflow's table that fit its conditions at a moment. */
export function fittingAt(compiled: CompiledWorkflow, at: Date, lookups: Lookups): readonly Image[] {
  const { cue, surroundings } = compiled
  const facts = standingFacts(surroundings, { at, by: CLOCK }, null, lookups)
  return fitting(compiled, facts, [], cue.kind === 'timetable' ? cue.order : undefined)
}

/** Whether a record fits a workflow's conditions as it stands at a moment. */
export function fitsNow(compiled: CompiledWorkflow, image: Image, at: Date, lookups: Lookups): boolean {
  const facts = standingFacts(compiled.surroundings, { at, by: CLOCK }, image, lookups)
  return isTheirs(compiled, facts) && (compiled.condition?.test(facts) ?? true)
}

/** Whether a record cue waits for its conditions to stay so. */
export const waits = (cue: Cue): cue is RecordCue & { stays: string } => cue.kind === 'record' && cue.stays !== undefined
