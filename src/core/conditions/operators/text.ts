import { fold, isBlank, isText } from '../../values/compare'
import type { Operator, Reading, SqlReading } from '../clause'
import { sqlTrim } from './equality'

/** A text operator: case-insensitive whatever the type, and never true of a blank on either side. */
function textOperator(words: string, holds: (now: string, value: string) => boolean, sql: (now: string, value: string) => string): Operator {
  return {
    on: isText,
    operand: 'one',
    change: false,
    test: (r) => testText(r, holds),
    words: (v) => `${words} ${v}`,
    sql: (r) => sqlText(r, sql),
  }
}

function testText(r: Reading, holds: (now: string, value: string) => boolean): boolean {
  return !isBlank(r.now) && !isBlank(r.value) && holds(fold(r.now), fold(r.value))
}

function sqlText(r: SqlReading, sql: (now: string, value: string) => string): string {
  const now = `rappel.folded(${sqlTrim(r.field)})`
  const value = `rappel.folded(${sqlTrim(r.value)})`
  return `coalesce(${now} <> '' and ${value} <> '' and ${sql(now, value)}, false)`
}

const contains = textOperator(
  'contains',
  (now, value) => now.includes(value),
  (now, value) => `position(${value} in ${now}) > 0`,
)

/** A folder's path without the slashes around it. */
const inner = (path: string) => path.replace(/^\/+|\/+$/g, '')

/** A folder, or one below it. */
const within: Operator = {
  on: (type) => type === 'folder',
  operand: 'one',
  change: false,
  test: (r) => {
    const [now, folder] = isBlank(r.now) || isBlank(r.value) ? ['', ''] : [inner(fold(r.now)), inner(fold(r.value))]
    return folder !== '' && (now === folder || now.startsWith(`${folder}/`))
  },
  words: (v) => `is in ${v}`,
  sql: (r) => {
    const path = (text: string) => `trim(both '/' from rappel.folded(${sqlTrim(text)}))`
    const [now, folder] = [path(r.field), path(r.value)]
    return `coalesce(${folder} <> '' and (${now} = ${folder} or starts_with(${now}, ${folder} || '/')), false)`
  },
}

export const text = {
  contains,
  'does not contain': {
    ...contains,
    test: (r) => !contains.test(r),
    words: (v) => `does not contain ${v}`,
    sql: (r) => `(not ${contains.sql(r)})`,
  },
  'starts with': textOperator(
    'starts with',
    (now, value) => now.startsWith(value),
    (now, value) => `starts_with(${now}, ${value})`,
  ),
  'ends with': textOperator(
    'ends with',
    (now, value) => now.endsWith(value),
    (now, value) => `right(${now}, length(${value})) = ${value}`,
  ),
  'is in': within,
} as const satisfies Record<string, Operator>
