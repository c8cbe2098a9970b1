import fc from 'fast-check'
import { type Clause, type Condition, OPS } from '@/core/conditions/clause'
import { OPERATORS } from '@/core/conditions/operators'
import { CLAIMS, INES, RAFI } from './claims'

/** Right sides besides literals: another field, today, whoever made the change. */
function others(type: string, overChanges: boolean): { weight: number; arbitrary: fc.Arbitrary<unknown> }[] {
  const give = (...values: unknown[]) => [{ weight: 1, arbitrary: fc.constantFrom(...values) }]
  if (type === 'text') return give({ field: 'note' }, { field: 'owner.name' }, ...(overChanges ? [{ field: 'before.number' }] : []))
  if (type === 'money') return give({ field: 'amount' }, ...(overChanges ? [{ field: 'before.amount' }] : []))
  if (type === 'date') return give({ today: 0 }, { today: -40 }, { field: 'due' })
  return type === 'person' && overChanges ? give({ changedBy: true }) : []
}

const text = fc.oneof(
  fc.constantFrom('', ' ', 'a', 'A', 'ab', ' aB\u00a0', 'Ärger', 'ÄRGER', '%', '_', '50%', "o'clock", '\\', 'ﬀ', '🚢'),
  fc.string({ maxLength: 4 }).filter((s) => !s.includes('\u0000') && s.isWellFormed()),
)
const number = fc.oneof(fc.integer({ min: -3, max: 3 }), fc.constantFrom(0.1, 0.3, 10, 1e15))
const day = fc.constantFrom('2026-02-28', '2026-03-01', '2026-03-03', '2026-03-04', '2026-12-31')
const VALUES: Record<string, fc.Arbitrary<string | number | null>> = {
  number: text,
  note: text,
  contact_email: text,
  status: fc.constantFrom('New', 'In review', 'Settled', 'new'),
  amount: number,
  due: day,
  owner: fc.constantFrom(INES, RAFI),
}

const clauseOver = (overChanges: boolean): fc.Arbitrary<Clause> =>
  fc.constantFrom(...Object.keys(VALUES), 'owner.team', 'owner.manager.name').chain((field) => {
    const name = field.split('.').pop() as string
    const type = field.includes('.') ? 'text' : (CLAIMS.fields.find((f) => f.name === name)?.type ?? 'text')
    const value = VALUES[field] ?? text
    const ops = OPS.filter((op) => OPERATORS[op].on(type) && (overChanges || !OPERATORS[op].change))
    return fc.constantFrom(...ops).chain((op) => {
      const { operand } = OPERATORS[op]
      const one: fc.Arbitrary<unknown> =
        operand === 'many'
          ? fc.array(value, { maxLength: 3 })
          : operand === 'span'
            ? fc.constantFrom({ days: 1 }, { days: 300 }, { hours: 30 })
            : fc.oneof({ weight: 5, arbitrary: value as fc.Arbitrary<unknown> }, ...others(type, overChanges))
      return fc.record({ field: fc.constant(field), op: fc.constant(op), value: one, to: value }) as fc.Arbitrary<Clause>
    })
  })

/** Random conditions on claims; over changes with all operators, else with those that look at a record as it is. */
export const conditionOver = (overChanges: boolean): fc.Arbitrary<Condition> =>
  fc.letrec<{ condition: Condition }>((tie) => ({
    condition: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      clauseOver(overChanges),
      fc.record({ all: fc.array(tie('condition'), { maxLength: 3 }) }),
      fc.record({ any: fc.array(tie('condition'), { maxLength: 3 }) }),
      fc.record({ none: fc.array(tie('condition'), { maxLength: 3 }) }),
    ) as fc.Arbitrary<Condition>,
  })).condition

const blankOr = <T>(value: fc.Arbitrary<T>) => fc.option(value, { nil: null, freq: 4 })
/** Random images of claims, people by e-mail. */
export const image = fc.record({
  number: blankOr(text),
  note: blankOr(text),
  contact_email: blankOr(text),
  status: blankOr(VALUES.status as fc.Arbitrary<string>),
  amount: blankOr(number),
  due: blankOr(day),
  owner: fc.constantFrom(INES, RAFI, null),
})
