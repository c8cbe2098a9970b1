/** The operators of clauses. */
export const OPS = [
  'is',
  'is not',
  'is one of',
  'is none of',
  'is blank',
  'is filled',
  'contains',
  'does not contain',
  'starts with',
  'ends with',
  'is in',
  'less than',
  'at most',
  'more than',
  'at least',
  'between',
  'within last',
  'within next',
  'changed',
  'changed to',
  'changed from',
  'changed from to',
  'rose',
  'fell',
  'crossed above',
  'crossed below',
] as const
export type Op = (typeof OPS)[number]

export type Literal = string | number | boolean | null

/** The right side of a clause. */
export type Operand =
  | Literal
  | (string | number)[]
  | { field: string }
  | { today: number }
  | { changedBy: true }
  | { formula: string }
  | { minutes: number }
  | { hours: number }
  | { days: number }

export interface Clause {
  field: string
  op: Op
  value?: Operand
  /** Upper end of `between`, new side of `changed from to`. */
  to?: Operand
  muted?: boolean
}

export type Condition = { all: Condition[] } | { any: Condition[] } | { none: Condition[] } | Clause

/** How the parts of a condition are joined: all hold, any does, or none. */
export type Joint = 'all' | 'any' | 'none'

/** A condition that joins others. */
export type Joined = Exclude<Condition, Clause>

/** How a condition joins its parts, and which they are. */
export function jointOf(condition: Joined): readonly [Joint, Condition[]] {
  if ('all' in condition) return ['all', condition.all]
  return 'any' in condition ? ['any', condition.any] : ['none', condition.none]
}

/** Parts joined into one condition. */
export function joined(joint: Joint, parts: Condition[]): Joined {
  return joint === 'all' ? { all: parts } : joint === 'any' ? { any: parts } : { none: parts }
}

/** Conditions that all have to hold, as one; null of none. */
export function together(first: Condition | null | undefined, others: readonly Condition[]): Condition | null {
  const all = [...(first ? [first] : []), ...others].flatMap((c) => (!isClause(c) && 'all' in c ? c.all : [c]))
  const [only] = all
  if (!only) return null
  return all.length === 1 && !isClause(only) ? only : joined('all', all)
}

/** A condition with another clause in the place of each. */
export function mappedClauses(condition: Condition, of: (clause: Clause) => Clause): Condition {
  if (isClause(condition)) return of(condition)
  const [joint, parts] = jointOf(condition)
  return joined(
    joint,
    parts.map((part) => mappedClauses(part, of)),
  )
}

/** Whether a node of a condition is a clause. */
export function isClause(condition: Condition): condition is Clause {
  return 'op' in condition
}

/** The clauses of a condition in reading order, wherever they stand in it; muted ones left out. None of no condition. */
export function clausesOf(condition: Condition | undefined): Clause[] {
  if (!condition) return []
  if (isClause(condition)) return condition.muted ? [] : [condition]
  return jointOf(condition)[1].flatMap(clausesOf)
}
