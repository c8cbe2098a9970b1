import fc from 'fast-check'
import { OPERATORS } from '@/core/conditions/operators'
import { type Clause, type Condition, OPS } from '@/core/document/condition'
import type { FieldType } from '@/core/values/tables'
import { CLAIMS, INES, RAFI } from './claims'

export const text = fc.oneof(
  fc.constantFrom('', ' ', 'a', 'A', 'ab', ' aB\u00a0', 'Ärger', 'ÄRGER', '%', '_', '50%', "o'clock", '\\', 'ﬀ', '🚢'),
  fc.string({ maxLength: 4 }).filter((s) => !s.includes('\u0000') && s.isWellFormed()),
)
export const number = fc.oneof(fc.integer({ min: -3, max: 3 }), fc.constantFrom(0.1, 0.3, 10, 1e15))
export const day = fc.constantFrom('2026-02-28', '2026-03-01', '2026-03-03', '2026-03-04', '2026-12-31')
/** What random conditions are made over: paths with the type they end in, values to compare with, and right sides besides literals. */
export interface Subject {
  readonly paths: Readonly<Record<string, { readonly type: FieldType; readonly value: fc.Arbitrary<string | number | boolean | null> }>>
  readonly others: (type: FieldType, overChanges: boolean) => readonly unknown[]
}

const CLAIM_VALUES = {
  number: text,
  note: text,
  contact_email: text,
  status: fc.constantFrom('New', 'In review', 'Settled', 'new'),
  amount: number,
  due: day,
  owner: fc.constantFrom(INES, RAFI),
}

const CLAIM_SUBJECT: Subject = {
  paths: {
    ...Object.fromEntries(Object.entries(CLAIM_VALUES).map(([name, value]) => [name, { type: CLAIMS.fields.find((f) => f.name === name)?.type ?? 'text', value }])),
    'owner.team': { type: 'text', value: text },
    'owner.manager.name': { type: 'text', value: text },
  },
  others: (type, overChanges) => {
    if (type === 'text') return [{ field: 'note' }, { field: 'owner.name' }, ...(overChanges ? [{ field: 'before.number' }] : [])]
    if (type === 'money') return [{ field: 'amount' }, ...(overChanges ? [{ field: 'before.amount' }] : [])]
    if (type === 'date') return [{ today: 0 }, { today: -40 }, { field: 'due' }]
    return type === 'person' && overChanges ? [{ changedBy: true }] : []
  },
}

const clauseOver = (overChanges: boolean, { paths, others }: Subject): fc.Arbitrary<Clause> =>
  fc.constantFrom(...Object.entries(paths)).chain(([field, { type, value }]) => {
    const ops = OPS.filter((op) => OPERATORS[op].on(type) && (overChanges || !OPERATORS[op].change))
    const right = others(type, overChanges)
    return fc.constantFrom(...ops).chain((op) => {
      const { operand } = OPERATORS[op]
      const one: fc.Arbitrary<unknown> =
        operand === 'many'
          ? fc.array(value, { maxLength: 3 })
          : operand === 'span'
            ? fc.constantFrom({ days: 0 }, { days: 1 }, { days: 300 }, { hours: 30 }, { minutes: 90 })
            : fc.oneof({ weight: 5, arbitrary: value as fc.Arbitrary<unknown> }, ...(right.length ? [{ weight: 1, arbitrary: fc.constantFrom(...right) }] : []))
      return fc.record({ field: fc.constant(field), op: fc.constant(op), value: one, to: value }) as fc.Arbitrary<Clause>
    })
  })

/** Random conditions, on claims unless said otherwise; over changes with all operators, else with those that look at a record as it is. */
export const conditionOver = (overChanges: boolean, subject: Subject = CLAIM_SUBJECT): fc.Arbitrary<Condition> =>
  fc.letrec<{ condition: Condition }>((tie) => ({
    condition: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      clauseOver(overChanges, subject),
      fc.record({ all: fc.array(tie('condition'), { maxLength: 3 }) }),
      fc.record({ any: fc.array(tie('condition'), { maxLength: 3 }) }),
      fc.record({ none: fc.array(tie('condition'), { maxLength: 3 }) }),
    ) as fc.Arbitrary<Condition>,
  })).condition

export const blankOr = <T>(value: fc.Arbitrary<T>) => fc.option(value, { nil: null, freq: 4 })
/** Random images of claims, people by e-mail. */
export const image = fc.record({
  number: blankOr(text),
  note: blankOr(text),
  contact_email: blankOr(text),
  status: blankOr(CLAIM_VALUES.status),
  amount: blankOr(number),
  due: blankOr(day),
  owner: fc.constantFrom(INES, RAFI, null),
})
