import { compareOrdered, isBlank, isChanged, isEqual, isOrdered } from '../../values/compare'
import type { FieldType, Stored } from '../../values/tables'
import type { Operator, Reading } from '../clause'

const every = () => true
const isNumeric = (type: FieldType) => type === 'number' || type === 'money'

const changed = (r: Reading) => r.kind !== 'deleted' && isChanged(r.type, r.before, r.now)
const beforeIs = (r: Reading, side: Stored | undefined) => isEqual(r.type, r.before, side)
const nowIs = (r: Reading, side: Stored | undefined) => isEqual(r.type, r.now, side)

/** Both sides of the change filled, the record not deleted, and the sides' orders against each other or a line as asked. */
function moved(r: Reading, counts: (before: Stored, now: Stored) => boolean): boolean {
  return r.kind !== 'deleted' && !isBlank(r.before) && !isBlank(r.now) && counts(r.before as Stored, r.now as Stored)
}

function crossed(r: Reading, direction: 1 | -1): boolean {
  if (isBlank(r.value)) return false
  const line = r.value as Stored
  return moved(r, (b, n) => compareOrdered(r.type, b, line) * direction < 0 && compareOrdered(r.type, n, line) * direction >= 0)
}

function movement(on: Operator['on'], operand: Operator['operand'], test: Operator['test'], words: Operator['words']): Operator {
  return { on, operand, change: true, test, words, sql: null }
}

export const movementOperators = {
  changed: movement(every, 'none', changed, () => 'changed'),
  'changed to': movement(
    every,
    'one',
    (r) => changed(r) && nowIs(r, r.value as Stored),
    (v) => `changed to ${v}`,
  ),
  'changed from': movement(
    every,
    'one',
    (r) => changed(r) && beforeIs(r, r.value as Stored),
    (v) => `changed from ${v}`,
  ),
  'changed from to': movement(
    every,
    'two',
    (r) => changed(r) && beforeIs(r, r.value as Stored) && nowIs(r, r.to),
    (v, to) => `changed from ${v} to ${to}`,
  ),
  rose: movement(
    isOrdered,
    'none',
    (r) => moved(r, (b, n) => compareOrdered(r.type, n, b) > 0),
    () => 'rose',
  ),
  fell: movement(
    isOrdered,
    'none',
    (r) => moved(r, (b, n) => compareOrdered(r.type, n, b) < 0),
    () => 'fell',
  ),
  'crossed above': movement(
    isNumeric,
    'one',
    (r) => crossed(r, 1),
    (v) => `crossed above ${v}`,
  ),
  'crossed below': movement(
    isNumeric,
    'one',
    (r) => crossed(r, -1),
    (v) => `crossed below ${v}`,
  ),
} as const satisfies Record<string, Operator>
