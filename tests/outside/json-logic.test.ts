import fc from 'fast-check'
import jsonLogic from 'json-logic-js'
import { compileCondition } from '@/core/conditions/compile'
import type { Clause, Condition } from '@/core/document/condition'
import { LoadedLookups } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { CLAIMS } from '../support/claims'
import { ORGANISATION, SCHEMA } from '../support/core'

type Logic = Parameters<typeof jsonLogic.apply>[0]

// A general-purpose rule engine beside ours, on the operators both have. Where the two mean different things on purpose (blanks are
// on neither side of a comparison here, text compares without letter case), the values are kept to where they mean the same.
const OPS = { is: '===', 'is not': '!==', 'less than': '<', 'at most': '<=', 'more than': '>', 'at least': '>=' } as const

const amount = fc.integer({ min: -5, max: 5 })
const status = fc.constantFrom('New', 'In review', 'Settled')
const word = fc.stringMatching(/^[a-z]{1,3}$/)

const clause: fc.Arbitrary<Clause> = fc.oneof(
  fc.record({ field: fc.constant('amount'), op: fc.constantFrom(...(Object.keys(OPS) as (keyof typeof OPS)[])), value: amount }),
  fc.record({ field: fc.constant('amount'), op: fc.constant('between' as const), value: amount, to: amount }),
  fc.record({ field: fc.constant('status'), op: fc.constantFrom('is' as const, 'is not' as const), value: status }),
  fc.record({ field: fc.constant('status'), op: fc.constantFrom('is one of' as const, 'is none of' as const), value: fc.array(status, { maxLength: 3 }) }),
  fc.record({ field: fc.constant('note'), op: fc.constantFrom('contains' as const, 'does not contain' as const), value: word }),
)

const { condition } = fc.letrec<{ condition: Condition }>((tie) => ({
  condition: fc.oneof(
    { depthSize: 'small' },
    clause,
    fc.record({ all: fc.array(tie('condition'), { minLength: 1, maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('condition'), { minLength: 1, maxLength: 3 }) }),
    fc.record({ none: fc.array(tie('condition'), { minLength: 1, maxLength: 3 }) }),
  ) as fc.Arbitrary<Condition>,
}))

/** The same condition in the other engine's terms. */
function asLogic(node: Condition): Logic {
  if ('all' in node) return { and: node.all.map(asLogic) } as Logic
  if ('any' in node) return { or: node.any.map(asLogic) } as Logic
  if ('none' in node) return { '!': [{ or: node.none.map(asLogic) }] } as Logic
  const field = { var: node.field }
  switch (node.op) {
    case 'between':
      return { '<=': [node.value, field, node.to] } as Logic
    case 'is one of':
      return { in: [field, node.value] } as Logic
    case 'is none of':
      return { '!': [{ in: [field, node.value] }] } as Logic
    case 'contains':
      return { in: [node.value, field] } as Logic
    case 'does not contain':
      return { '!': [{ in: [node.value, field] }] } as Logic
    default:
      return { [OPS[node.op as keyof typeof OPS]]: [field, node.value] } as Logic
  }
}

test('conditions hold where json-logic-js says so, on the operators they share', () => {
  const record = fc.record({ amount, status, note: fc.stringMatching(/^[a-z]{1,8}$/) })
  fc.assert(
    fc.property(condition, fc.array(record, { minLength: 5, maxLength: 5 }), (one, records) => {
      const compiled = compileCondition(one, CLAIMS, { schema: SCHEMA, organisation: ORGANISATION, people: new Map() }, '')
      const logic = asLogic(one)
      for (const image of records) {
        const facts = {
          kind: 'changed' as const,
          before: image as Image,
          after: image as Image,
          at: new Date(0),
          by: { kind: 'system' as const, person: null, name: '' },
          lookups: new LoadedLookups(new Map()),
          organisation: ORGANISATION,
        }
        expect(compiled.test(facts)).toBe(Boolean(jsonLogic.apply(logic, image)))
      }
    }),
    { numRuns: 2_000 },
  )
})
