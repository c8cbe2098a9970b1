import type { Setting } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause, Literal } from '../document/condition'
import { must } from '../must'
import { comparisonOf, fold, isBlank } from '../values/compare'
import { countingFields, type FieldDef, type Stored, type TableDef, targetOf } from '../values/tables'
import { againstLimits, type Costed } from './limits'
import type { Observed } from './observed'

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

/** What each unit of a clause's cost has to be worth, in bits. */
export const PER_COST = 2.5

/** Most values and words that are tried of one field. */
const MOST_VALUES = 4
const MOST_WORDS = 6

/** A field that has no more values than this has few: what it is not is tried of each, and each two of them together. */
const FEW = 8

/** What it costs that a value is one of twice as many as usual: a bit. */
const PER_DOUBLING = 1 / PER_COST
const USUAL = 4

/** Most limits on both sides, of all fields together. */
const MOST_WITHIN = 3_000

/** Records beside whose fields are looked at: fields of one that is a mail address or a number of a phone tell nothing about many. */
const OF_PEOPLE: ReadonlySet<string> = new Set(['name', 'email', 'team'])

const DAYS = [1, 2, 3, 5, 7, 10, 14, 21, 30, 45, 60, 90, 180, 365]
const HOURS = [1, 2, 4, 8, 12, 24, 48]

/** A field that clauses are made of, with the way to it. */
export interface Place {
  readonly path: string
  readonly field: FieldDef
  readonly linked: boolean
}

/** The fields that clauses are made of: the record's own, and those of the records it links to. */
export function placesOf({ table, setting }: Observed): Place[] {
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

/** The marked changes, those marked yes first, and others, between whose values limits lie. */
export interface Evidence {
  readonly marked: Observed
  readonly yes: number
  readonly own: Observed
  readonly beside: Observed
}

/** The clauses that what is marked suggests, each once: about what the marked have in common, and what sets them apart. */
export function candidatesFor(places: readonly Place[], evidence: Evidence): Candidate[] {
  const found = new Map<Clause, Candidate>()
  const { own, beside } = evidence
  const add = (candidate: Candidate) => {
    const clause = own.same(candidate.clause)
    found.set(clause, { ...candidate, clause })
  }
  const pathsOf = (linked: boolean) => places.filter((place) => place.linked === linked).map(({ path }) => path)
  own.readAll(pathsOf(false))
  beside.readAll(pathsOf(true))
  const numbers = places.filter(({ field, linked }) => !linked && comparisonOf(field.type) === 'number')
  for (const place of places) for (const candidate of ofPlace(new Values(evidence, place, MOST_WITHIN / Math.max(1, numbers.length)), place)) add(candidate)
  for (const candidate of besideEachOther(numbers)) add(candidate)
  return [...found.values()]
}

/** Most pairs of numbers of a record that are held against each other. */
const MOST_PAIRS = 120

/** Numbers of a record held against its others of the same type, as a quantity against the level at which it is to be ordered again. */
function besideEachOther(own: readonly Place[]): Candidate[] {
  const pairs = own.flatMap((one) => own.filter((two) => two !== one && two.field.type === one.field.type).map((two) => [one.path, two.path] as const))
  return pairs
    .slice(0, MOST_PAIRS)
    .flatMap(([field, other]) =>
      (['less than', 'at most'] as const).map((op) => ({ clause: { field, op, value: { field: other } }, cost: op === 'less than' ? 1.6 : 1.7, linked: false })),
    )
}

/** A field's values at the marks: now, and before where it changed. */
class Values {
  readonly yes: readonly Stored[]
  readonly no: readonly Stored[]
  readonly yesBefore: readonly Stored[]
  readonly noBefore: readonly Stored[]
  /** All values that the field has anywhere, each once: limits lie between two of them, and those between the same two are one. */
  readonly everywhere: readonly Stored[]
  readonly linked: boolean
  readonly setting: Setting

  constructor(
    { marked, yes, own, beside }: Evidence,
    { path, linked }: Place,
    readonly mostWithin: number,
  ) {
    const { now, before, values } = marked.column(path)
    const all = Array.from(now, (at) => values[at] ?? null)
    const was = Array.from(before, (at, i) => (marked.kindAt(i) === 'created' ? null : (values[at] ?? null)))
    this.yes = all.slice(0, yes)
    this.no = all.slice(yes)
    this.yesBefore = was.slice(0, yes)
    this.noBefore = was.slice(yes)
    // those of the marked first, which a sample of the records beside need not have
    this.everywhere = [...new Set([...(linked ? values : []), ...(linked ? beside : own).column(path).values, ...all, ...was])]
    this.linked = linked
    this.setting = marked.setting
  }
}

/** What compares before with after is asked only of the record's own fields. */
function ofPlace(values: Values, { path, field, linked }: Place): Candidate[] {
  const found = [...always(field), ...ofType(values, field)].filter(([{ op }]) => !linked || !OPERATORS[op].change)
  return found.map(([clause, cost]) => ({ clause: { field: path, ...clause }, cost: cost + (linked ? 0.7 : 0), linked }))
}

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
      return [...againstLimits(values), ...equal(values, field, 1)]
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
    case 'link':
      return [] // what it is called by is a field of the record beside, and says in words what its id does not
    default:
      return equal(values, field, MOST_VALUES)
  }
}

/** A value as documents write it: people by e-mail. */
function literalOf({ setting }: Values, field: FieldDef, value: Stored): Literal | null {
  if (field.type !== 'person') return value
  for (const [email, id] of setting.people) if (id === value) return email
  return null
}

/** The values that are not blank, each once as people read it; no more than so many. */
function distinct(values: readonly Stored[], most = Number.POSITIVE_INFINITY): Stored[] {
  const seen = new Map<string, Stored>()
  for (const value of values) {
    if (seen.size >= most) break
    if (!isBlank(value) && !seen.has(fold(value))) seen.set(fold(value), value)
  }
  return [...seen.values()]
}

/** Equality with what the marked have, one value or a few, and with what the others have. */
function equal(values: Values, field: FieldDef, most: number): Costed[] {
  const name = (list: readonly Stored[]) => distinct(list).flatMap((v) => literalOf(values, field, v) ?? [])
  const [yes, no, before] = [name(values.yes), name(values.no), name(values.yesBefore)]
  const found: Costed[] = []
  const many = PER_DOUBLING * Math.log2(Math.max(1, values.everywhere.length / USUAL))
  if (yes.length <= FEW) for (const value of yes) found.push([{ op: 'is', value }, 1 + many], [{ op: 'changed to', value }, 1.1 + many])
  if (before.length <= MOST_VALUES) for (const value of before) found.push([{ op: 'changed from', value }, 1.4])
  if (yes.length === 1 && before.length === 1) found.push([{ op: 'changed from to', value: must(before[0]), to: must(yes[0]) }, 1.7])
  for (const value of listsOf(yes.filter(isListed), most)) found.push([{ op: 'is one of', value }, 1.3 + 0.3 * value.length])
  const others = othersThan(values, yes, no, name)
  if (others.length <= FEW) for (const value of others) found.push([{ op: 'is not', value }, 1.5 + (yes.includes(value) ? 0.3 : 0) + many])
  const never = others.filter((v) => !yes.includes(v)).filter(isListed)
  if (never.length >= 2 && never.length <= most) found.push([{ op: 'is none of', value: never }, 1.6 + 0.3 * never.length])
  return found
}

/** Lists of what the marked have: of all, and of each two where there are few. */
function listsOf(yes: readonly (string | number)[], most: number): (string | number)[][] {
  const all = yes.length >= 2 && yes.length <= most ? [[...yes]] : []
  if (yes.length <= 2 || yes.length > FEW || most < MOST_VALUES) return all
  return [...all, ...yes.flatMap((one, i) => yes.slice(i + 1).map((two) => [one, two]))]
}

/** What a field is not: every value that it has where there are few, else what the changes have that should not have told anybody. */
function othersThan(values: Values, yes: readonly Named[], no: readonly Named[], name: (list: readonly Stored[]) => Named[]): Named[] {
  const all = distinct(values.everywhere, FEW + 1)
  if (all.length <= FEW) return name(all)
  return values.linked ? [] : no.filter((v) => !yes.includes(v))
}

/** A value that is not blank, as documents write it. */
type Named = NonNullable<Literal>

const isListed = (value: Named): value is string | number => typeof value === 'string' || typeof value === 'number'

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
