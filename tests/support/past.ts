import { type Change, changedFields } from '@/core/changes/change'
import { type Clause, type Condition, isClause, jointOf } from '@/core/document/condition'
import { Beside } from '@/core/propose/beside'
import type { Marks } from '@/core/propose/candidates'
import type { Observation } from '@/core/propose/observation'
import { Observed } from '@/core/propose/observed'
import { type FieldDef, type Image, PERSON_TABLE, type Schema, type Stored, type TableDef } from '@/core/values/tables'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { canFire, factsOf } from '@/core/workflow/judge'
import { Chance } from '../soak/chance'
import { ORGANISATION, PEOPLE, SURROUNDINGS } from './core'

const CHOICES = {
  status: ['New', 'Open', 'Waiting', 'Closed'],
  channel: ['Phone', 'Mail', 'Web'],
  tier: ['Gold', 'Silver', 'Bronze'],
  country: ['Norway', 'Spain', 'Peru', 'Kenya'],
} as const
const WORDS = ['urgent', 'invoice', 'leak', 'missing', 'harbour', 'refund', 'engine', 'noise', 'ticket', 'delay']

const choice = (name: keyof typeof CHOICES): FieldDef => ({ name, label: name, type: 'choice', choices: [...CHOICES[name]] })

/** A company beside each order. */
export const COMPANIES: TableDef = {
  name: 'companies',
  label: 'Companies',
  singular: 'company',
  titleField: 'name',
  fields: [{ name: 'name', label: 'name', type: 'text' }, choice('tier'), choice('country'), { name: 'size', label: 'size', type: 'number' }],
}

/** Orders with `more` fields besides those that rules are about. */
export function ordersTable(more = 0): TableDef {
  return {
    name: 'orders',
    label: 'Orders',
    singular: 'order',
    titleField: 'subject',
    ownerField: 'owner',
    fields: [
      { name: 'subject', label: 'subject', type: 'text' },
      choice('status'),
      choice('channel'),
      { name: 'amount', label: 'amount', type: 'money' },
      { name: 'score', label: 'score', type: 'number' },
      { name: 'due', label: 'due', type: 'date' },
      { name: 'owner', label: 'owner', type: 'person' },
      { name: 'company', label: 'company', type: 'link', table: 'companies' },
      { name: 'escalated', label: 'escalated', type: 'yes/no' },
      { name: 'note', label: 'note', type: 'long text' },
      ...Array.from({ length: more }, (_, i): FieldDef => ({ name: `field_${i}`, label: `field ${i}`, type: i % 3 ? 'text' : 'number' })),
    ],
  }
}

const day = (at: Date, days: number) => new Date(at.getTime() + days * 86_400_000).toISOString().slice(0, 10)

function drawValue(draw: Chance, field: FieldDef, at: Date): Stored {
  if (field.choices) return draw.pick(field.choices)
  if (field.name === 'amount') return Math.round(draw.next() ** 2 * 5_000)
  if (field.name === 'score') return draw.below(101)
  if (field.name === 'due') return draw.happens(0.3) ? null : day(at, draw.below(60) - 10)
  if (field.name === 'owner') return draw.happens(0.1) ? null : draw.pick(PEOPLE.map((p) => Number(p.id)))
  if (field.name === 'company') return 1 + draw.below(40)
  if (field.name === 'escalated') return draw.happens(0.15)
  if (field.name === 'note') return draw.happens(0.5) ? null : `${draw.pick(WORDS)} ${draw.pick(WORDS)}`
  if (field.name === 'subject') return `${draw.pick(WORDS)} ${draw.pick(WORDS)} ${draw.below(1_000)}`
  return field.type === 'number' ? draw.below(1_000) : draw.pick(WORDS)
}

/** A past of orders: so many changes, most of them of a field or two of an order that is there. */
export function pastOf(draw: Chance, count: number, { table = ordersTable(), beside = COMPANIES }: { table?: TableDef; beside?: TableDef } = {}): Observed {
  const schema: Schema = new Map([PERSON_TABLE, beside, table].map((t) => [t.name, t]))
  const start = Date.UTC(2026, 0, 5, 8)
  const companies = Array.from(
    { length: 41 },
    (_, id): Image => ({
      id,
      ...Object.fromEntries(beside.fields.map((f) => [f.name, f.name === 'size' ? draw.below(500) : drawValue(draw, f, new Date(start))])),
    }),
  )
  const lookups = new Beside([...PEOPLE.map((p) => ['person', Number(p.id), p] as const), ...companies.map((c) => ['companies', Number(c.id), c] as const)])
  const live: Image[] = []
  const observations: Observation[] = []
  for (let i = 0; observations.length < count; i++) {
    const at = new Date(start + i * 1_800_000)
    const isNew = live.length < 20 || draw.happens(0.25)
    const before = isNew ? null : draw.pick(live)
    const fields = isNew ? table.fields : Array.from({ length: 1 + draw.below(3) }, () => draw.pick(table.fields))
    const after: Image = { ...(before ?? { id: i }), ...Object.fromEntries(fields.map((f) => [f.name, drawValue(draw, f, at)])) }
    const changed = changedFields(table, before, after)
    if (before && changed.length === 0) continue
    if (before) live.splice(live.indexOf(before), 1)
    live.push(after)
    const by = draw.pick(PEOPLE)
    const change: Change = {
      id: i,
      table: table.name,
      record: Number(after.id),
      kind: before ? 'changed' : 'created',
      before,
      after,
      changed,
      at,
      by: { kind: 'person', person: Number(by.id), name: String(by.name) },
      transaction: String(i),
      run: null,
      depth: 0,
    }
    observations.push({ change, lookups })
  }
  return new Observed(table, { schema, organisation: ORGANISATION, people: SURROUNDINGS.people }, observations)
}

/** A rule as workflows have one. */
export interface Rule {
  readonly on: ('created' | 'changed')[]
  readonly firing: 'entering' | 'every'
  readonly condition: Condition
}

/** The places of the changes that a rule fires for, by the workflow's own decision. */
export function firesOf(observed: Observed, { on, firing, condition }: Rule): number[] {
  const surroundings = { ...SURROUNDINGS, schema: observed.setting.schema }
  const compiled = compileWorkflow(
    { rappel: 'workflow/1', name: 'rule', table: observed.table.name, cue: { kind: 'record', on }, conditions: condition, firing, actions: [] },
    surroundings,
  )
  return observed.observations.flatMap(({ change, lookups }, i) => (canFire(compiled, change, factsOf(surroundings, change, lookups)) ? [i] : []))
}

/** A clause of the language, its values drawn from what there is. */
export function drawClause(draw: Chance): Clause {
  const amount = 100 * (1 + draw.below(30))
  const score = 5 * (1 + draw.below(19))
  const two = <T>(list: readonly T[]): T[] => {
    const first = draw.pick(list)
    return [first, draw.pick(list.filter((v) => v !== first))]
  }
  const clauses: (() => Clause)[] = [
    () => ({ field: 'status', op: 'is', value: draw.pick(CHOICES.status) }),
    () => ({ field: 'status', op: 'changed to', value: draw.pick(CHOICES.status) }),
    () => ({ field: 'status', op: 'is one of', value: two(CHOICES.status) }),
    () => ({ field: 'status', op: 'is not', value: draw.pick(CHOICES.status) }),
    () => ({ field: 'channel', op: 'is', value: draw.pick(CHOICES.channel) }),
    () => ({ field: 'amount', op: draw.pick(['at least', 'more than', 'at most', 'less than'] as const), value: amount }),
    () => ({ field: 'amount', op: 'between', value: amount, to: amount + 1_000 }),
    () => ({ field: 'amount', op: draw.pick(['rose', 'fell', 'changed'] as const) }),
    () => ({ field: 'score', op: draw.pick(['at least', 'at most'] as const), value: score }),
    () => ({ field: 'score', op: draw.pick(['crossed above', 'crossed below'] as const), value: score }),
    () => ({ field: 'escalated', op: 'is', value: true }),
    () => ({ field: 'due', op: 'within next', value: { days: draw.pick([3, 7, 14]) } }),
    () => ({ field: 'due', op: draw.pick(['is blank', 'is filled', 'changed'] as const) }),
    () => ({ field: 'subject', op: 'contains', value: draw.pick(WORDS) }),
    () => ({ field: 'owner', op: 'is', value: draw.pick(PEOPLE.map((p) => String(p.email))) }),
    () => ({ field: 'owner', op: draw.pick(['is', 'is not'] as const), value: { changedBy: true } }),
    () => ({ field: 'owner.team', op: 'is', value: 'Claims' }),
    () => ({ field: 'company.tier', op: 'is', value: draw.pick(CHOICES.tier) }),
    () => ({ field: 'company.country', op: 'is', value: draw.pick(CHOICES.country) }),
    () => ({ field: 'company.size', op: 'at least', value: 50 * (1 + draw.below(8)) }),
  ]
  return draw.pick(clauses)()
}

/** A rule of up to three clauses, at most one `any` among them. */
export function drawRule(draw: Chance): Rule {
  const fields = new Set<string>()
  const clause = (): Clause => {
    for (;;) {
      const drawn = drawClause(draw)
      if (fields.has(drawn.field)) continue
      fields.add(drawn.field)
      return drawn
    }
  }
  const shapes: (() => Condition)[] = [
    () => clause(),
    () => ({ all: [clause(), clause()] }),
    () => ({ all: [clause(), clause(), clause()] }),
    () => ({ any: [clause(), clause()] }),
    () => ({ all: [clause(), { any: [clause(), clause()] }] }),
  ]
  const on = draw.pick<Rule['on']>([['created'], ['changed'], ['created', 'changed'], ['created', 'changed']])
  return { on, firing: draw.happens(0.8) ? 'entering' : 'every', condition: draw.pick(shapes)() }
}

/** A condition without each of its clauses in turn. */
function lessOne(condition: Condition): Condition[] {
  if (isClause(condition)) return []
  const [joint, parts] = jointOf(condition)
  const joined = (list: Condition[]): Condition => (list.length === 1 && list[0] ? list[0] : joint === 'all' ? { all: list } : { any: list })
  return parts.flatMap((part, i) => [joined(parts.filter((_, k) => k !== i)), ...lessOne(part).map((less) => joined(parts.map((other, k) => (k === i ? less : other))))])
}

/** Whether each clause of a rule decides at least a tenth of what it fires for: one that decides hardly anything is in no marks. */
export function everyClauseMatters(observed: Observed, rule: Rule, fires: readonly number[]): boolean {
  const is = new Set(fires)
  return lessOne(rule.condition).every((condition) => {
    const other = new Set(firesOf(observed, { ...rule, condition }))
    return fires.filter((i) => !other.has(i)).length + [...other].filter((i) => !is.has(i)).length >= fires.length / 10
  })
}

function some(draw: Chance, list: readonly number[], count: number): number[] {
  const rest = [...list]
  return Array.from({ length: Math.min(count, rest.length) }, () => rest.splice(draw.below(rest.length), 1)[0] as number)
}

const reasonsOf = (condition: Condition): Condition[] => (isClause(condition) ? [] : 'any' in condition ? [...condition.any] : jointOf(condition)[1].flatMap(reasonsOf))

/** Marks as somebody makes them who has a rule in mind: some of what it fires for, four of each reason among them where any of several is enough, and as many others. */
export function marksFor(draw: Chance, observed: Observed, rule: Rule, fires: readonly number[], count: number): Marks {
  const reasons = reasonsOf(rule.condition).filter(isClause)
  const holds = (clause: Clause, i: number) => observed.sides(clause).holds.has(i)
  const typical = reasons.flatMap((reason) =>
    some(
      draw,
      fires.filter((i) => holds(reason, i) && !reasons.some((other) => other !== reason && holds(other, i))),
      4,
    ),
  )
  const is = new Set(fires)
  const rest = fires.filter((i) => !typical.includes(i))
  const others = observed.observations.flatMap((_, i) => (is.has(i) ? [] : [i]))
  return { yes: [...typical, ...some(draw, rest, count - typical.length)], no: some(draw, others, count) }
}

/** A past with a rule that fires in it often enough to be marked, and not nearly always. */
export function ruleWithPast(seed: number, size: number, marked: number): { draw: Chance; observed: Observed; rule: Rule; fires: number[] } {
  const draw = new Chance(seed)
  const observed = pastOf(draw, size)
  for (;;) {
    const rule = drawRule(draw)
    const fires = firesOf(observed, rule)
    if (fires.length >= marked + 4 && fires.length <= size * 0.6 && everyClauseMatters(observed, rule, fires)) return { draw, observed, rule, fires }
  }
}
