import type { ChangeKind } from '../changes/change'
import { type Clause, type Condition, isClause, joined, jointOf, type Op } from '../document/condition'
import type { FieldType, Organisation, Stored } from '../values/tables'

/** What a clause's operator looks at: the field now and before, and the right side, all as stored values. */
export interface Reading {
  readonly type: FieldType
  readonly now: Stored | undefined
  readonly before: Stored | undefined
  readonly kind: ChangeKind
  readonly value: Stored | readonly Stored[] | Span | undefined
  readonly to: Stored | undefined
  /** The moment of the change. */
  readonly at: Date
  readonly organisation: Organisation
}

/** The right side as one value; blank where it is a list or a span. */
export const oneOf = ({ value }: Reading): Stored => (value === undefined || (typeof value === 'object' && value !== null) ? null : value)

/** The right side as a list; empty where it is none. */
export const manyOf = ({ value }: Reading): readonly Stored[] => (isList(value) ? value : [])

const isList = (value: Reading['value']): value is readonly Stored[] => Array.isArray(value)

/** The right side as a span of time. @throws Error where it is none, which the review does not let run */
export function spanOf({ value }: Reading): Span {
  if (typeof value !== 'object' || value === null || isList(value)) throw new Error('A span of time was expected.')
  return value
}

/** A length of time for `within last` and `within next`. */
export type Span = { minutes: number } | { hours: number } | { days: number }

/** SQL of a clause: the field and the right sides as typed SQL expressions that may be null. */
export interface SqlReading {
  readonly type: FieldType
  readonly field: string
  /** The field before the change, and what kind of change it is; only over changes. */
  readonly before: string
  readonly kind: string
  /** Whether the right side is a value written down that is not blank, or a list of such. */
  readonly isFilled: boolean
  readonly value: string
  readonly to: string
  readonly list: readonly string[]
  /** For `within last` and `within next`: the right side's span, as an SQL interval, and the moment it is relative to. */
  readonly span: string
  /** The same in whole days, for dates. */
  readonly days: string
  readonly moment: string
  readonly zone: string
}

export interface Operator {
  /** Whether it can be used on fields of a type. */
  readonly on: (type: FieldType) => boolean
  readonly operand: 'none' | 'one' | 'many' | 'two' | 'span'
  /** Whether it compares before with after, so that it never holds where nothing changed. */
  readonly change: boolean
  readonly test: (r: Reading) => boolean
  /** Words after the field's; the operands come as words. */
  readonly words: (value: string, to: string) => string
  /** A two-valued SQL expression over a table's rows or, where it compares before with after, over changes. */
  readonly sql: (r: SqlReading) => string
}

/** Whether a condition means something else tomorrow: it counts days or spans from now. */
export function isRelativeToClock(condition: Condition): boolean {
  return someClause(condition, goesByClock)
}

/** Whether a clause counts days or spans from now. */
export const goesByClock = (clause: Clause): boolean => hasSide(clause, 'today') || clause.op === 'within last' || clause.op === 'within next'

/** Whether a clause's right side is worked out by a formula. */
export const isWorkedOut = (clause: Clause): boolean => hasSide(clause, 'formula')

/** A condition in which clauses of a kind let everything through that they could let through: it holds wherever the whole one may. */
export function lettingThrough(condition: Condition, isOpen: (clause: Clause) => boolean, lets = true): Condition {
  if (isClause(condition)) return !condition.muted && isOpen(condition) ? (lets ? { all: [] } : { any: [] }) : condition
  const [joint, children] = jointOf(condition)
  return joined(
    joint,
    children.map((child) => lettingThrough(child, isOpen, joint === 'none' ? !lets : lets)),
  )
}

/** Whether any right side of a condition is a formula. */
export function hasFormula(condition: Condition): boolean {
  return someClause(condition, isWorkedOut)
}

/** Whether any clause of a condition is of a kind. */
export function someClause(condition: Condition, test: (clause: Clause) => boolean): boolean {
  if (isClause(condition)) return test(condition)
  return jointOf(condition)[1].some((child) => someClause(child, test))
}

/** Operators that look at no right side, whatever a document has there. */
const ALONE: ReadonlySet<string> = new Set<Op>(['is blank', 'is filled', 'changed', 'rose', 'fell'])

const hasSide = (clause: Clause, kind: 'today' | 'formula') =>
  !ALONE.has(clause.op) && [clause.value, clause.to].some((side) => typeof side === 'object' && side !== null && kind in side)
