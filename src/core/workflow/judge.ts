import type { Change } from '../changes/change'
import { isRelativeToClock, isWorkedOut, lettingThrough } from '../conditions/clause'
import type { Facts } from '../conditions/compile'
import { CLOCK, type CrossingOccasion, type Occasion, type PressOccasion, standingOf, type TickOccasion, tickOccasion } from '../cues/occasion'
import { notWaitedFor } from '../cues/record'
import { type Condition, mappedClauses } from '../document/condition'
import { exactly, type Standing } from '../figures/crossing'
import { labelOf } from '../figures/label'
import { figureOf } from '../figures/of-table'
import type { Lookups } from '../paths/lookups'
import type { RootValue } from '../paths/roots'
import type { Budget } from '../values/budget'
import { type Image, idFrom, PERSON_TABLE, type TableDef } from '../values/tables'
import type { CompiledWorkflow } from './compiled'
import { type Decision, fires } from './plan'
import type { Surroundings } from './surroundings'

/** What was decided, what conditions were tested on, and what the occasion's own names hold. */
export interface Judged {
  readonly decision: Decision
  readonly facts: Facts | null
  readonly roots?: readonly (readonly [string, RootValue])[]
}

/** Whether a workflow waits for an occasion and its conditions allow it. */
export function judge(compiled: CompiledWorkflow, occasion: Occasion, lookups: Lookups, budget: Budget): Judged {
  switch (occasion.kind) {
    case 'change':
      return judgeChange(compiled, occasion.change, lookups, budget)
    case 'stay':
      return judgeStay(compiled, occasion, lookups, budget)
    case 'tick':
      return judgeTick(compiled, occasion, lookups, budget)
    case 'press':
      return judgePress(compiled, occasion, lookups, budget)
    case 'crossing':
      return judgeCrossing(compiled, occasion, lookups, budget)
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
  if (occasion.per === 'record' || occasion.per === 'group') {
    const figure = figureRoot(compiled, occasion)
    const holds = !compiled.condition || compiled.condition.test(withRoots(facts, figure))
    const decision = !holds ? 'fails' : workflow.firing === 'every' || occasion.fitted === false ? 'fits' : occasion.fitted ? 'fitted before' : 'fits'
    return { decision, facts: withRoots(facts, figure), roots: [tick, ...figure] }
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
  const own = [...asked, ...figureRoot(compiled, occasion)]
  const held = new Map(own)
  const plain = standingFacts(compiled.surroundings, occasion, occasion.after, lookups, budget)
  const facts: Facts = {
    ...plain,
    root: (name) => held.get(name) ?? (name === 'record' || name === compiled.table.singular ? { kind: 'record', table: compiled.table, image: plain.after } : undefined),
  }
  if (occasion.per === 'none') return { decision: 'pressed', facts, roots: own }
  if (occasion.per !== 'all') return { decision: !compiled.condition || compiled.condition.test(facts) ? 'pressed' : 'fails', facts, roots: own }
  const images = fitting(compiled, facts, [{ field: 'id', op: 'is one of', value: [...occasion.records] }], undefined)
  return { decision: images.length > 0 ? 'pressed' : 'none fits', facts, roots: [...asked, ['records', { kind: 'list', table: compiled.table, images }]] }
}

function judgeCrossing(compiled: CompiledWorkflow, occasion: CrossingOccasion, lookups: Lookups, budget: Budget): Judged {
  const { cue, surroundings } = compiled
  const { figure, threshold } = occasion.crossing
  if (cue.kind !== 'figure' || cue.figure !== figure || cue.threshold !== threshold) return { decision: 'another occasion', facts: null }
  return { decision: 'crossed', facts: standingFacts(surroundings, occasion, null, lookups, budget), roots: figureRoot(compiled, occasion) }
}

/** What `figure` stands for: the group that an occasion is about, and what a crossing adds to it; nothing where it is about none. */
function figureRoot(compiled: CompiledWorkflow, occasion: Occasion): readonly (readonly [string, RootValue])[] {
  const standing = standingOf(occasion)
  if (!standing) return []
  const { figure, group, value, count } = standing
  const known = figureOf(compiled.table, figure)
  const crossing: Image = occasion.kind === 'crossing' ? { before: exactly(occasion.crossing.before), threshold: occasion.crossing.line } : {}
  const image: Image = {
    name: known ? labelOf(known.definition) : figure,
    value: exactly(value),
    group,
    count,
    link: `${compiled.surroundings.baseUrl}/figures/${figure}`,
    ...crossing,
  }
  return [['figure', { kind: 'record', table: tableOf(compiled, 'figure'), image }]]
}

/** Facts that conditions can read names of the occasion from. */
function withRoots(facts: Facts, roots: readonly (readonly [string, RootValue])[]): Facts {
  const held = new Map(roots)
  return held.size === 0 ? facts : { ...facts, root: (name) => held.get(name) }
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
  return mappedClauses(asQuery(condition), (clause) => ({
    ...clause,
    ...('value' in clause ? { value: settled(clause.value) as never } : {}),
    ...('to' in clause ? { to: settled(clause.to) as never } : {}),
  }))
}

/** What conditions are tested on where a record stands as it is: nothing has changed. */
export function standingFacts({ organisation }: Surroundings, { at, by }: Pick<Occasion, 'at' | 'by'>, image: Image | null, lookups: Lookups, budget?: Budget): Facts {
  return { kind: 'changed', before: image, after: image, at, by, lookups, organisation, budget }
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
  const id = field ? idFrom((facts.after ?? facts.before)?.[field]) : null
  const owner = id === null ? null : facts.lookups.record('person', id)
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

/** Whether a group of a figure fits a workflow's conditions as it stands. */
export function fitsAsGroup(compiled: CompiledWorkflow, standing: Standing, at: Date, lookups: Lookups): boolean {
  if (!compiled.condition) return true
  const occasion = tickOccasion({ table: compiled.table.name, per: 'group', at, standing })
  return compiled.condition.test(withRoots(standingFacts(compiled.surroundings, occasion, null, lookups), figureRoot(compiled, occasion)))
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
