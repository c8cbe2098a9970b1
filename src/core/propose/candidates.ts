import { compileReader } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause, Literal } from '../document/condition'
import { must } from '../must'
import { fold, isBlank } from '../values/compare'
import { countingFields, type FieldDef, type Stored, type TableDef, targetOf } from '../values/tables'
import type { Observed } from './observed'
import { roundBetween } from './round'

/** A clause that may be part of what is proposed; `cost` says how much has to be believed for it, in the words that people use first 1, and it is `linked` where it looks at a record beside. */
export interface Candidate {
  readonly clause: Clause
  readonly cost: number
  readonly linked: boolean
}

/** Marks as places among the observations. */
export interface Marks {
  readonly yes: readonly number[]
  readonly no: readonly number[]
}

/** Most values, words and limits that are tried of one field. */
const MOST_VALUES = 4
const MOST_WORDS = 6
const MOST_LIMITS = 9

/** Records beside whose fields are looked at: fields of one that is a mail address or a number of a phone tell nothing about many. */
const OF_PEOPLE: ReadonlySet<string> = new Set(['name', 'email', 'team'])

const DAYS = [1, 2, 3, 5, 7, 10, 14, 21, 30, 45, 60, 90, 180, 365]
const HOURS = [1, 2, 4, 8, 12, 24, 48]

interface Place {
  readonly path: string
  readonly field: FieldDef
  readonly linked: boolean
}

/** The fields that clauses are made of: the record's own, and those of the records it links to. */
function placesOf({ table, setting }: Observed): Place[] {
  const own = countingFields(table).filter((f) => f.type !== 'file')
  const beside = own.flatMap((link) => {
    const target = targetOf(link)
    const there = target ? setting.schema.get(target) : undefined
    return there ? fieldsBeside(there).map((field) => ({ path: `${link.name}.${field.name}`, field, linked: true })) : []
  })
  return [...own.map((field) => ({ path: field.name, field, linked: false })), ...beside]
}

const fieldsBeside = (table: TableDef) =>
  table.name === 'person' ? table.fields.filter((f) => OF_PEOPLE.has(f.name)) : countingFields(table).filter((f) => f.type !== 'file' && f.type !== 'link')

/** The clauses that what is marked suggests, each once: about what the marked have in common, and what sets them apart. Limits lie between the values of `among`. */
export function candidatesFor(observed: Observed, among: { readonly own: Observed; readonly beside: Observed }, marks: Marks): Candidate[] {
  const own = new Map<string, Candidate>()
  for (const place of placesOf(observed))
    for (const candidate of ofPlace(new Values(observed, place.linked ? among.beside : among.own, marks, place.path), place)) own.set(JSON.stringify(candidate.clause), candidate)
  return [...own.values()]
}

/** A field's values at the marks: now, and before where it changed. */
class Values {
  readonly yes: readonly Stored[]
  readonly no: readonly Stored[]
  readonly yesBefore: readonly Stored[]
  /** All numbers that the field has anywhere, in order, each once: limits lie between two of them, and those between the same two are one. */
  readonly everywhere: () => number[]

  constructor(
    readonly observed: Observed,
    /** The changes whose values limits lie between. */
    readonly among: Observed,
    readonly marks: Marks,
    readonly path: string,
  ) {
    const { read } = compileReader(path, observed.table, observed.setting)
    const now = (of: Observed, i: number) => read(of.factsAt(i), of.factsAt(i).after ?? of.factsAt(i).before) ?? null
    const before = (of: Observed, i: number) => read(of.factsAt(i), of.factsAt(i).before) ?? null
    this.yes = marks.yes.map((i) => now(observed, i))
    this.no = marks.no.map((i) => now(observed, i))
    this.yesBefore = marks.yes.map((i) => before(observed, i))
    this.everywhere = () => {
      const all = new Set([...numbers(this.yes), ...numbers(this.no)])
      for (let i = 0; i < among.size; i++) for (const value of numbers([now(among, i), before(among, i)])) all.add(value)
      return [...all].sort((a, b) => a - b)
    }
  }
}

/** What compares before with after is asked only of the record's own fields. */
function ofPlace(values: Values, { path, field, linked }: Place): Candidate[] {
  const found = [...always(field), ...ofType(values, field)].filter(([{ op }]) => !linked || !OPERATORS[op].change)
  return found.map(([clause, cost]) => ({ clause: { field: path, ...clause }, cost: cost + (linked ? 0.7 : 0), linked }))
}

/** A clause without its field, and its cost. */
type Costed = readonly [Omit<Clause, 'field'>, number]

function always({ type }: FieldDef): Costed[] {
  const basic: Costed[] = [
    [{ op: 'changed' }, 1.3],
    [{ op: 'is filled' }, 1.2],
    [{ op: 'is blank' }, 1.2],
  ]
  return type === 'number' || type === 'money' || type === 'date' || type === 'date-time' ? [...basic, [{ op: 'rose' }, 1.2], [{ op: 'fell' }, 1.2]] : basic
}

function ofType(values: Values, field: FieldDef): Costed[] {
  switch (field.type) {
    case 'number':
    case 'money':
      return [...limits(values), ...crossings(values), ...equal(values, field, 1)]
    case 'date':
    case 'date-time':
      return spans(field.type === 'date-time')
    case 'text':
    case 'long text':
      return [...words(values), ...equal(values, field, 2)]
    case 'email':
      return [...domains(values), ...equal(values, field, 2)]
    case 'person':
      return [[{ op: 'is', value: { changedBy: true } }, 1.4], [{ op: 'is not', value: { changedBy: true } }, 1.4], ...equal(values, field, MOST_VALUES)]
    default:
      return equal(values, field, MOST_VALUES)
  }
}

/** A value as documents write it: people by e-mail. */
function literalOf({ observed }: Values, field: FieldDef, value: Stored): Literal | null {
  if (field.type !== 'person') return value
  for (const [email, id] of observed.setting.people) if (id === value) return email
  return null
}

function distinct(values: readonly Stored[]): Stored[] {
  const seen = new Map<string, Stored>()
  for (const value of values) if (!isBlank(value) && !seen.has(fold(value))) seen.set(fold(value), value)
  return [...seen.values()]
}

/** Equality with what the marked have, one value or a few, and with what the others have. */
function equal(values: Values, field: FieldDef, most: number): Costed[] {
  const name = (list: readonly Stored[]) => distinct(list).flatMap((v) => literalOf(values, field, v) ?? [])
  const [yes, no, before] = [name(values.yes), name(values.no), name(values.yesBefore)]
  const found: Costed[] = []
  if (yes.length <= 6) for (const value of yes) found.push([{ op: 'is', value }, 1], [{ op: 'changed to', value }, 1.1])
  if (before.length <= MOST_VALUES) for (const value of before) found.push([{ op: 'changed from', value }, 1.4])
  if (yes.length === 1 && before.length === 1) found.push([{ op: 'changed from to', value: must(before[0]), to: must(yes[0]) }, 1.7])
  if (yes.length >= 2 && yes.length <= most) found.push([{ op: 'is one of', value: yes.filter(isListed) }, 1.3 + 0.3 * yes.length])
  const others = no.filter((v) => !yes.includes(v))
  if (others.length <= 6) for (const value of others) found.push([{ op: 'is not', value }, 1.5])
  if (others.length >= 2 && others.length <= most) found.push([{ op: 'is none of', value: others.filter(isListed) }, 1.6 + 0.3 * others.length])
  return found
}

const isListed = (value: Literal): value is string | number => typeof value === 'string' || typeof value === 'number'

const numbers = (values: readonly Stored[]): number[] => values.flatMap((v) => (isBlank(v) || Number.isNaN(Number(v)) ? [] : [Number(v)]))

/** Some of a list that is in order, spread evenly, the ends among them. */
function spread<T>(list: readonly T[], most: number): T[] {
  if (list.length <= most) return [...list]
  return Array.from({ length: most }, (_, k) => must(list[Math.round((k * (list.length - 1)) / (most - 1))]))
}

/** A lower limit that lets through a value and not the one below it: "at least" the roundest between, or "more than" the one below where that is rounder. */
function least(below: number | undefined, value: number): Costed {
  if (below === undefined) return [{ op: 'at least', value }, 1.2]
  const round = roundBetween(below, value)
  return roundness(below) > roundness(round) ? [{ op: 'more than', value: below }, 1.2] : [{ op: 'at least', value: round }, 1.2]
}

/** The same for an upper limit. */
function most(value: number, above: number | undefined): Costed {
  if (above === undefined) return [{ op: 'at most', value }, 1.2]
  const round = -roundBetween(-above, -value)
  return roundness(above) > roundness(round) ? [{ op: 'less than', value: above }, 1.2] : [{ op: 'at most', value: round === 0 ? 0 : round }, 1.2]
}

/** How few digits a number is written with. */
const roundness = (value: number) => -String(Math.abs(value)).replace('.', '').replace(/0+$/, '').length - (Number.isInteger(value) ? 0 : 1)

/** Limits between what is marked and what is not; where nothing is marked below, between all values there are. */
function limits(values: Values): Costed[] {
  const yes = numbers(values.yes)
  if (yes.length === 0) return []
  const all = values.everywhere()
  const no = numbers(values.no)
  const found: Costed[] = []
  const [low, high] = [Math.min(...yes), Math.max(...yes)]
  const under = Math.max(Number.NEGATIVE_INFINITY, ...no.filter((v) => v < low))
  const over = Math.min(Number.POSITIVE_INFINITY, ...no.filter((v) => v > high))
  const placed = new Map(all.map((v, i) => [v, i]))
  const before = (v: number) => all[must(placed.get(v)) - 1]
  const after = (v: number) => all[must(placed.get(v)) + 1]
  for (const v of spread(
    all.filter((x) => x > under && x <= low),
    MOST_LIMITS,
  ))
    found.push(least(before(v), v))
  for (const v of spread(
    all.filter((x) => x < over && x >= high),
    MOST_LIMITS,
  ))
    found.push(most(v, after(v)))
  if (yes.length > 1 && under > Number.NEGATIVE_INFINITY && over < Number.POSITIVE_INFINITY)
    found.push([{ op: 'between', value: roundBetween(under, low), to: -roundBetween(-over, -high) }, 1.8])
  return [...found, ...partly(yes, no, before, after)]
}

/** Limits that a part of the marked lies within, next to each other and with none between that is not to: one of several reasons. */
function partly(yes: readonly number[], no: readonly number[], before: (v: number) => number | undefined, after: (v: number) => number | undefined): Costed[] {
  const sorted = [...new Set(yes)].sort((a, b) => a - b)
  if (sorted.length < 2 || sorted.length > 14) return []
  const lower = new Map(sorted.map((v) => [v, least(before(v), v)]))
  const upper = new Map(sorted.map((v) => [v, most(v, after(v))]))
  const found: Costed[] = [...sorted.slice(1).flatMap((v) => [must(lower.get(v))]), ...sorted.slice(0, -1).flatMap((v) => [must(upper.get(v))])]
  sorted.forEach((low, i) => {
    for (const high of sorted.slice(i + 1)) {
      if (no.some((v) => v > low && v < high)) break
      const [under, over] = [before(low), after(high)]
      found.push([{ op: 'between', value: under === undefined ? low : roundBetween(under, low), to: over === undefined ? high : -roundBetween(-over, -high) }, 1.8])
    }
  })
  return found
}

/** Limits that all of the marked crossed. */
function crossings(values: Values): Costed[] {
  const [before, now] = [numbers(values.yesBefore), numbers(values.yes)]
  if (before.length !== values.yes.length || now.length !== values.yes.length) return []
  const rose = now.every((v, i) => v > must(before[i]))
  const fell = now.every((v, i) => v < must(before[i]))
  if (!rose && !fell) return []
  const [under, upto] = rose ? [Math.max(...before), Math.min(...now)] : [Math.max(...now), Math.min(...before)]
  if (under >= upto) return []
  const inside = values.everywhere().filter((v) => v > under && v <= upto)
  const steps = spread(inside, MOST_LIMITS)
  return rose
    ? steps.map((v): Costed => [{ op: 'crossed above', value: roundBetween(Math.max(under, inside[inside.indexOf(v) - 1] ?? under), v) }, 1.2])
    : steps.map((v): Costed => [{ op: 'crossed below', value: -roundBetween(-v, -Math.max(under, inside[inside.indexOf(v) - 1] ?? under)) }, 1.2])
}

function spans(hasTime: boolean): Costed[] {
  return [...DAYS.map((days) => ({ days })), ...(hasTime ? HOURS.map((hours) => ({ hours })) : [])].flatMap((value): Costed[] => [
    [{ op: 'within next', value }, 1.4],
    [{ op: 'within last', value }, 1.4],
  ])
}

/** Words that all of the marked have, or some; those that fewer of the others have first. */
function words(values: Values): Costed[] {
  const of = (value: Stored) => new Set(fold(value ?? '').match(/\p{L}{3,}/gu) ?? [])
  const [yes, no] = [values.yes.map(of), values.no.map(of)]
  const counts = new Map<string, number>()
  for (const set of yes) for (const word of set) counts.set(word, (counts.get(word) ?? 0) + 1)
  const among = (word: string) => no.filter((set) => set.has(word)).length
  return [...counts]
    .filter(([, n]) => n === yes.length || n >= 2)
    .sort(([a, n], [b, m]) => m - n || among(a) - among(b) || (a < b ? -1 : 1))
    .slice(0, MOST_WORDS)
    .map(([value]): Costed => [{ op: 'contains', value }, 1.5])
}

function domains(values: Values): Costed[] {
  const found = new Set(values.yes.flatMap((v) => (typeof v === 'string' && v.includes('@') ? [v.slice(v.lastIndexOf('@')).toLowerCase()] : [])))
  return [...found].slice(0, MOST_VALUES).map((value): Costed => [{ op: 'ends with', value }, 1.4])
}
