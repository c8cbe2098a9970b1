import { comparisonOf, isBlank, isEqual, WHITE_SPACE } from '../../values/compare'
import type { FieldType } from '../../values/tables'
import type { Operator, Reading, SqlReading } from '../clause'
import { manyOf, oneOf } from '../clause'

const every = () => true

/** SQL text of the white space that is trimmed, as an escape string. */
const TRIMMED = `E'${[...WHITE_SPACE].map((c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`).join('')}'`

/** SQL for a text without the white space at its ends. */
export function sqlTrim(expression: string): string {
  return `btrim(${expression}, ${TRIMMED})`
}

/** SQL for a text as `is` and `contains` compare it. */
export function sqlFold(type: FieldType, expression: string): string {
  return comparisonOf(type) === 'folded' ? `rappel.folded(${sqlTrim(expression)})` : sqlTrim(expression)
}

/** Two-valued SQL: is the expression blank? */
export function sqlBlank(type: FieldType, expression: string): string {
  const comparison = comparisonOf(type)
  const isTextual = comparison === 'folded' || type === 'choice'
  return isTextual ? `coalesce(${sqlTrim(expression)} = '', true)` : `(${expression} is null)`
}

/** Two-valued SQL: are the two sides equal, blank being equal to blank? */
export function sqlEqual(type: FieldType, a: string, b: string): string {
  const comparison = comparisonOf(type)
  if (comparison !== 'folded' && type !== 'choice') return `(${a} is not distinct from ${b})`
  return `(coalesce(${sqlFold(type, a)}, '') = coalesce(${sqlFold(type, b)}, ''))`
}

const equal = (r: Reading) => isEqual(r.type, r.now, oneOf(r))
const member = (r: Reading) => manyOf(r).some((v) => isEqual(r.type, r.now, v))

/** Equality with the right side; a choice that does not contain what is looked for, as most do not, is not trimmed first. */
const sqlSame = (r: SqlReading, value: string) =>
  r.isFilled && r.type === 'choice'
    ? `coalesce(position(${sqlTrim(value)} in ${r.field}) > 0 and ${sqlTrim(r.field)} = ${sqlTrim(value)}, false)`
    : sqlEqual(r.type, r.field, value)
const sqlMember = (r: SqlReading) => (r.list.length === 0 ? 'false' : `(${r.list.map((v) => sqlSame(r, v)).join(' or ')})`)

export const equality = {
  is: { on: every, operand: 'one', change: false, test: equal, words: (v) => `is ${v}`, sql: (r) => sqlSame(r, r.value) },
  'is not': {
    on: every,
    operand: 'one',
    change: false,
    test: (r) => !equal(r),
    words: (v) => `is not ${v}`,
    sql: (r) => `(not ${sqlSame(r, r.value)})`,
  },
  'is one of': { on: every, operand: 'many', change: false, test: member, words: (v) => `is one of ${v}`, sql: sqlMember },
  'is none of': {
    on: every,
    operand: 'many',
    change: false,
    test: (r) => !member(r),
    words: (v) => `is none of ${v}`,
    sql: (r) => `(not ${sqlMember(r)})`,
  },
  'is blank': {
    on: every,
    operand: 'none',
    change: false,
    test: (r) => isBlank(r.now),
    words: () => 'is blank',
    sql: (r) => sqlBlank(r.type, r.field),
  },
  'is filled': {
    on: every,
    operand: 'none',
    change: false,
    test: (r) => !isBlank(r.now),
    words: () => 'is filled',
    sql: (r) => `(not ${sqlBlank(r.type, r.field)})`,
  },
} as const satisfies Record<string, Operator>
