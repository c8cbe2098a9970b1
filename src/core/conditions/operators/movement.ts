import { compareOrdered, isBlank, isChanged, isEqual, isOrdered } from '../../values/compare'
import type { FieldType, Stored } from '../../values/tables'
import type { Operator, Reading, SqlReading } from '../clause'
import { oneOf } from '../clause'
import { sqlBlank, sqlEqual } from './equality'

const every = () => true
const isNumeric = (type: FieldType) => type === 'number' || type === 'money'

const changed = (r: Reading) => r.kind !== 'deleted' && isChanged(r.type, r.before, r.now)
const beforeIs = (r: Reading, side: Stored | undefined) => isEqual(r.type, r.before, side)
const nowIs = (r: Reading, side: Stored | undefined) => isEqual(r.type, r.now, side)

/** Both sides of the change filled, the record not deleted, and the sides' orders against each other or a line as asked. */
function moved(r: Reading, counts: (before: Stored, now: Stored) => boolean): boolean {
  return r.kind !== 'deleted' && !isBlank(r.before) && !isBlank(r.now) && counts(r.before, r.now)
}

function crossed(r: Reading, direction: 1 | -1): boolean {
  if (isBlank(r.value)) return false
  const line = oneOf(r)
  return moved(r, (b, n) => compareOrdered(r.type, b, line) * direction < 0 && compareOrdered(r.type, n, line) * direction >= 0)
}

/** Two-valued SQL of `changed`. */
function sqlChanged({ type, before, field, kind }: SqlReading): string {
  const [wasBlank, isNowBlank] = [sqlBlank(type, before), sqlBlank(type, field)]
  return `(${kind} <> 'deleted' and case when ${wasBlank} or ${isNowBlank} then ${wasBlank} <> ${isNowBlank} else ${before} is distinct from ${field} end)`
}

/** Two-valued SQL: the record not deleted, and an order that is unknown where a side is blank. */
const sqlMoved = ({ kind }: SqlReading, order: string) => `coalesce(${kind} <> 'deleted' and ${order}, false)`

function movement(on: Operator['on'], operand: Operator['operand'], test: Operator['test'], words: Operator['words'], sql: Operator['sql']): Operator {
  return { on, operand, change: true, test, words, sql }
}

export const movementOperators = {
  changed: movement(every, 'none', changed, () => 'changed', sqlChanged),
  'changed to': movement(
    every,
    'one',
    (r) => changed(r) && nowIs(r, oneOf(r)),
    (v) => `changed to ${v}`,
    (r) => `(${sqlChanged(r)} and ${sqlEqual(r.type, r.field, r.value)})`,
  ),
  'changed from': movement(
    every,
    'one',
    (r) => changed(r) && beforeIs(r, oneOf(r)),
    (v) => `changed from ${v}`,
    (r) => `(${sqlChanged(r)} and ${sqlEqual(r.type, r.before, r.value)})`,
  ),
  'changed from to': movement(
    every,
    'two',
    (r) => changed(r) && beforeIs(r, oneOf(r)) && nowIs(r, r.to),
    (v, to) => `changed from ${v} to ${to}`,
    (r) => `(${sqlChanged(r)} and ${sqlEqual(r.type, r.before, r.value)} and ${sqlEqual(r.type, r.field, r.to)})`,
  ),
  rose: movement(
    isOrdered,
    'none',
    (r) => moved(r, (b, n) => compareOrdered(r.type, n, b) > 0),
    () => 'rose',
    (r) => sqlMoved(r, `${r.field} > ${r.before}`),
  ),
  fell: movement(
    isOrdered,
    'none',
    (r) => moved(r, (b, n) => compareOrdered(r.type, n, b) < 0),
    () => 'fell',
    (r) => sqlMoved(r, `${r.field} < ${r.before}`),
  ),
  'crossed above': movement(
    isNumeric,
    'one',
    (r) => crossed(r, 1),
    (v) => `crossed above ${v}`,
    (r) => sqlMoved(r, `${r.before} < ${r.value} and ${r.field} >= ${r.value}`),
  ),
  'crossed below': movement(
    isNumeric,
    'one',
    (r) => crossed(r, -1),
    (v) => `crossed below ${v}`,
    (r) => sqlMoved(r, `${r.before} > ${r.value} and ${r.field} <= ${r.value}`),
  ),
} as const satisfies Record<string, Operator>
