import { Decimal } from 'decimal.js'
import type { FieldType, Stored } from './tables'

/** The white space that never matters at the ends of a text: exactly what ECMAScript's `\s` matches, so that SQL can be given the same list. */
export const WHITE_SPACE = '\t\n\v\f\r \u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000\ufeff'

/** Whether a value is blank: null, absent, or text of nothing but white space. */
export function isBlank(value: unknown): value is null | undefined | '' {
  if (value === null || value === undefined) return true
  if (typeof value === 'string') return value.trim() === ''
  return Array.isArray(value) && value.length === 0
}

/** How the values of a type are compared: as text without letter case, as exact text, as numbers, as instants, as ids or as truth. */
export type Comparison = 'folded' | 'exact' | 'number' | 'instant' | 'id' | 'truth'

const COMPARISONS = {
  text: 'folded',
  'long text': 'folded',
  email: 'folded',
  phone: 'folded',
  folder: 'folded',
  choice: 'exact',
  date: 'exact',
  number: 'number',
  money: 'number',
  'date-time': 'instant',
  'yes/no': 'truth',
  person: 'id',
  link: 'id',
  file: 'id',
} as const satisfies Record<FieldType, Comparison>

/** The comparison that a field type uses. */
export function comparisonOf(type: FieldType): Comparison {
  return COMPARISONS[type]
}

/** Whether values of this type have an order that `less than` and its like can use. */
export function isOrdered(type: FieldType): boolean {
  return type === 'number' || type === 'money' || type === 'date' || type === 'date-time'
}

/** Whether values of this type are text that can be searched. */
export function isText(type: FieldType): boolean {
  return type === 'choice' || COMPARISONS[type] === 'folded'
}

/** Text as it is compared: trimmed and without letter case. */
export function fold(value: unknown): string {
  return String(value).trim().toLowerCase()
}

/**
 * Compares two filled numbers exactly as decimals; negative, zero or positive.
 * Two JavaScript numbers that were read from at most 15 digits compare as their decimals do, so they need no decimal arithmetic.
 * @throws when a side is not a number
 */
export function compareNumbers(a: Stored, b: Stored): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b
  return new Decimal(String(a)).comparedTo(new Decimal(String(b)))
}

/** Compares two filled values of an ordered type; negative, zero or positive. */
export function compareOrdered(type: FieldType, a: Stored, b: Stored): number {
  if (type === 'date') return String(a) < String(b) ? -1 : String(a) > String(b) ? 1 : 0
  if (type === 'date-time') return Date.parse(String(a)) - Date.parse(String(b))
  return compareNumbers(a, b)
}

/** Whether two values are equal in the sense of `is`: blank equals blank, text ignores letter case and outer white space. */
export function isEqual(type: FieldType, a: Stored | undefined, b: Stored | undefined): boolean {
  if (isBlank(a)) return isBlank(b)
  if (isBlank(b)) return false
  switch (COMPARISONS[type]) {
    case 'folded':
      return fold(a) === fold(b)
    case 'exact':
      return String(a).trim() === String(b).trim()
    case 'truth':
      return a === b
    case 'instant':
      return Date.parse(String(a)) === Date.parse(String(b))
    case 'number':
      return compareNumbers(a, b) === 0
    case 'id':
      return String(a) === String(b)
  }
}

/** The order of ids, as the database puts them: numbers by size, UUIDs and texts by their characters. */
export function compareIds(a: Stored, b: Stored): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b
  const [x, y] = [String(a), String(b)]
  return x < y ? -1 : x > y ? 1 : 0
}

/** Whether the stored values differ in the sense of `changed`: letter case counts, 10 and 10.00 do not differ, blank to blank does not count. */
export function isChanged(type: FieldType, before: Stored | undefined, after: Stored | undefined): boolean {
  if (isBlank(before) || isBlank(after)) return isBlank(before) !== isBlank(after)
  if (before === after) return false
  return isText(type) ? true : !isEqual(type, before, after)
}
