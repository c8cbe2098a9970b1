import type { ChangedBy, ChangeKind } from '../changes/change'
import { type Clause, type Condition, isClause, jointOf, type Op, type Operand } from '../document/condition'
import { compileFormula } from '../formula/formula'
import type { Lookups } from '../paths/lookups'
import { compilePath } from '../paths/path'
import { checkRooted, type Roots, type RootValue } from '../paths/roots'
import type { Budget } from '../values/budget'
import { dayFrom } from '../values/dates'
import { parseValue, readId } from '../values/parse'
import type { Compared, FieldType, Image, Organisation, Schema, Stored, TableDef } from '../values/tables'
import type { Reading, Span } from './clause'
import { OPERATORS } from './operators'

/** What a condition is tested on: the images before and after, and the circumstances of the change. */
export interface Facts {
  readonly kind: ChangeKind
  readonly before: Image | null
  readonly after: Image | null
  readonly at: Date
  readonly by: ChangedBy
  readonly lookups: Lookups
  readonly organisation: Organisation
  /** What the names besides the record's own fields hold. */
  readonly root?: (name: string) => RootValue | undefined
  /** What formulas are charged to. */
  readonly budget?: Budget
}

/** What conditions are compiled against. */
export interface Setting {
  readonly schema: Schema
  readonly organisation: Organisation
  /** Ids of people by lower-case e-mail, the name they go by in documents. */
  readonly people: ReadonlyMap<string, number>
  /** Names that paths can start at besides the record's own fields. */
  readonly roots?: Roots
}

/** One clause as it came out: where it stands, the values on both sides, and whether it held. */
export interface ClauseResult {
  /** JSON Pointer into the workflow document. */
  readonly path: string
  readonly field: string
  readonly op: Op
  readonly value: Reading['value']
  readonly to?: Stored
  readonly before: Stored
  readonly after: Stored
  readonly holds: boolean
}

export interface CompiledCondition {
  test(facts: Facts): boolean
  /** Each clause in reading order, none skipped, muted ones left out. */
  explain(facts: Facts): ClauseResult[]
}

/**
 * Compiles a condition over a table's records to a test and an explanation that always agree.
 * @throws Error when a path or an operator does not fit; the review reports those before anything is compiled
 */
export function compileCondition(condition: Condition, table: TableDef, setting: Setting, path: string): CompiledCondition {
  if (isClause(condition)) return compileClause(condition, compileReader(condition.field, table, setting), table, setting, path)
  const [joint, children] = jointOf(condition)
  const parts = children
    .map((child, i) => ({ child, i }))
    .filter(({ child }) => !(isClause(child) && child.muted))
    .map(({ child, i }) => compileCondition(child, table, setting, `${path}/${joint}/${i}`))
  return { test: jointTest(joint, parts), explain: (facts) => parts.flatMap((part) => part.explain(facts)) }
}

function jointTest(joint: 'all' | 'any' | 'none', parts: readonly CompiledCondition[]): CompiledCondition['test'] {
  if (joint === 'all') return (facts) => parts.every((part) => part.test(facts))
  if (joint === 'any') return (facts) => parts.some((part) => part.test(facts))
  return (facts) => !parts.some((part) => part.test(facts))
}

/** Compiles a clause whose left side is compiled already. @throws Error when its right side does not fit */
export function compileClause(clause: Clause, left: Reader, table: TableDef, setting: Setting, path: string): CompiledCondition {
  const { read, ...field } = left
  const { type } = field
  const operator = OPERATORS[clause.op]
  const value = compileOperand(clause.value, field, table, setting)
  const to = compileOperand(clause.to, field, table, setting)
  const reading = (facts: Facts): Reading => ({
    type,
    now: read(facts, facts.after ?? facts.before),
    before: operator.change ? read(facts, facts.before) : undefined,
    kind: facts.kind,
    value: value(facts),
    to: to(facts) as Stored,
    at: facts.at,
    organisation: facts.organisation,
  })
  return {
    test: (facts) => operator.test(reading(facts)),
    explain: (facts) => {
      const r = reading(facts)
      const before = read(facts, facts.before) ?? null
      const after = read(facts, facts.after) ?? null
      return [{ path, field: clause.field, op: clause.op, value: r.value ?? null, to: r.to, before, after, holds: operator.test(r) }]
    },
  }
}

/** A path as a function that reads it, and the type of what it reads. */
export interface Reader extends Compared {
  readonly read: (facts: Facts, own: Image | null) => Stored | undefined
}

/** Compiles a path to a function that reads it: from the image given, or from the root it starts at. */
export function compileReader(text: string, table: TableDef, setting: Setting): Reader {
  const rooted = checkRooted(setting.schema, table, setting.roots ?? new Map(), text)
  if ('problem' in rooted) throw new Error(rooted.problem)
  const { root, path } = rooted
  if (!path) return { type: rooted.table ? 'link' : 'text', read: (facts) => bareRoot(facts.root?.(root as string)) }
  const read = compilePath(path)
  const { type, key } = path.field
  if (root === null) return { type, key, read: (facts, own) => read(own, facts.lookups) }
  return {
    type,
    key,
    read: (facts) => {
      const held = facts.root ? facts.root(root) : { kind: 'record' as const, image: root === 'before' ? facts.before : (facts.after ?? facts.before) }
      return held?.kind === 'record' ? read(held.image, facts.lookups) : null
    },
  }
}

/** A root by itself as a stored value: a record's id, or the value. */
function bareRoot(held: RootValue | undefined): Stored {
  if (held?.kind === 'record') return held.image?.id ?? null
  return held?.kind === 'value' ? ((held.value ?? null) as Stored) : null
}

type OperandReader = (facts: Facts) => Reading['value']

/** Compiles a right side; literals are read once, the rest at each test. */
function compileOperand(operand: Operand | undefined, field: Compared, table: TableDef, setting: Setting): OperandReader {
  if (operand === undefined || operand === null) return () => null
  if (Array.isArray(operand)) {
    const list = operand.map((item) => literal(item, field, setting))
    return () => list
  }
  if (typeof operand !== 'object') {
    const fixed = literal(operand, field, setting)
    return () => fixed
  }
  if ('field' in operand) {
    const { read } = compileReader(operand.field, table, setting)
    return (facts) => read(facts, facts.after ?? facts.before)
  }
  if ('today' in operand) return (facts) => todayOperand(operand.today, field.type, facts)
  if ('changedBy' in operand) return (facts) => facts.by.person
  if ('formula' in operand) return compileFormulaOperand(operand.formula, field, table, setting)
  const span: Span = operand
  return () => span
}

/** A formula as a right side, worked out at each test; it sees the record, the record before and the names of its place. */
function compileFormulaOperand(source: string, field: Compared, table: TableDef, setting: Setting): OperandReader {
  const work = compileFormula(source)
  const names = [...(setting.roots?.keys() ?? [])]
  return (facts) => {
    const roots = names.flatMap((name): [string, RootValue][] => {
      const held = facts.root?.(name)
      return held ? [[name, held]] : []
    })
    const own = facts.after ?? facts.before ?? {}
    const value = work({
      schema: setting.schema,
      lookups: facts.lookups,
      table,
      own,
      before: facts.before,
      roots,
      change: facts,
      zone: facts.organisation.zone,
      budget: facts.budget,
    })
    return asRightSide(value, field, setting)
  }
}

const TEXTUAL: ReadonlySet<FieldType> = new Set(['text', 'long text', 'choice', 'email', 'phone', 'folder'])

/** What a formula gave, as the right side of a clause on a field of a type: read as that type reads what people type, blank where it is no such value; a record stands for its id. */
export function asRightSide(given: unknown, { type, key }: Compared, setting: Setting): Stored {
  const value = typeof given === 'object' && given !== null && 'id' in given ? given.id : given
  if (typeof value !== 'string' && typeof value !== 'number' && typeof value !== 'boolean') return null
  if (type === 'person' && typeof value === 'string' && value.includes('@')) return literal(value, { type }, setting)
  const fitting = TEXTUAL.has(type) ? String(value) : type === 'date' ? String(value).slice(0, 10) : value
  const parsed = parseValue({ name: '', label: '', type: TEXTUAL.has(type) ? 'text' : type, key }, fitting, '')
  return 'value' in parsed ? parsed.value : null
}

function todayOperand(days: number, type: FieldType, facts: Facts): Stored {
  const day = dayFrom(facts.at, days, facts.organisation.zone)
  return type === 'date-time' ? new Date(facts.at.getTime() + days * 86_400_000).toISOString() : day
}

/** A literal as a stored value: people are named by e-mail in documents and stored by id. */
function literal(value: string | number | boolean, { type, key }: Compared, setting: Setting): Stored {
  if (key) return readId({ key }, value)
  if (type !== 'person' || typeof value !== 'string' || value.trim() === '') return value
  return setting.people.get(value.trim().toLowerCase()) ?? -1
}
