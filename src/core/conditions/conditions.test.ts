import { CLAIMS, INES } from '../../../tests/support/claims'
import { claimChange, lookups, ORGANISATION, SCHEMA, SURROUNDINGS } from '../../../tests/support/core'
import type { Clause, Condition } from '../document/condition'
import type { Image } from '../values/tables'
import { compileCondition, type Facts } from './compile'
import { clauseSentence } from './sentence'

function facts(kind: Facts['kind'], before: Image | null, after: Image | null): Facts {
  const change = claimChange(kind, before, after)
  return { kind, before: change.before, after: change.after, at: change.at, by: change.by, lookups: lookups(), organisation: ORGANISATION }
}

const holds = (condition: Condition, before: Image | null, after: Image | null, kind: Facts['kind'] = 'changed') =>
  compileCondition(condition, CLAIMS, SURROUNDINGS, '/conditions').test(facts(kind, before, after))

const now = (clause: Clause, image: Image) => holds(clause, image, image)

test.each<[string, Clause, Image, boolean]>([
  ['text ignores letter case and outer white space', { field: 'note', op: 'is', value: 'Late ' }, { note: ' LATE' }, true],
  ['a choice is exact', { field: 'status', op: 'is', value: 'new' }, { status: 'New' }, false],
  ['e-mails ignore letter case', { field: 'contact_email', op: 'is', value: 'A@X.example' }, { contact_email: 'a@x.example' }, true],
  ['is blank holds on white space', { field: 'note', op: 'is blank' }, { note: ' \u00a0\t' }, true],
  ['is with an empty value holds on blank', { field: 'note', op: 'is', value: '' }, { note: null }, true],
  ['is not holds on blank', { field: 'note', op: 'is not', value: 'x' }, { note: null }, true],
  ['is none of holds on blank', { field: 'status', op: 'is none of', value: ['New'] }, { status: null }, true],
  ['is one of', { field: 'status', op: 'is one of', value: ['New', 'Settled'] }, { status: 'Settled' }, true],
  ['contains ignores letter case', { field: 'note', op: 'contains', value: 'BAG' }, { note: 'a baggage tag' }, true],
  ['contains never holds on blank', { field: 'note', op: 'contains', value: '' }, { note: null }, false],
  ['does not contain holds on blank', { field: 'note', op: 'does not contain', value: 'x' }, { note: null }, true],
  ['starts with', { field: 'note', op: 'starts with', value: 'ab' }, { note: 'Abc' }, true],
  ['ends with', { field: 'note', op: 'ends with', value: 'bc' }, { note: 'ab' }, false],
  ['at least, the number itself', { field: 'amount', op: 'at least', value: 40 }, { amount: 40 }, true],
  ['at least never holds on blank', { field: 'amount', op: 'at least', value: 0 }, { amount: null }, false],
  ['at most, a long decimal', { field: 'amount', op: 'at most', value: 12 }, { amount: '12.000000000000000001' }, false],
  ['a long decimal equals itself with trailing zeros', { field: 'amount', op: 'is', value: '12345678901234567.80' }, { amount: '12345678901234567.8' }, true],
  ['between has both ends', { field: 'amount', op: 'between', value: 10, to: 20 }, { amount: 20 }, true],
  ['dates compare as days', { field: 'due', op: 'less than', value: '2026-03-04' }, { due: '2026-03-03' }, true],
  ['today', { field: 'due', op: 'is', value: { today: 0 } }, { due: '2026-03-03' }, true],
  ['days from today', { field: 'due', op: 'at most', value: { today: 2 } }, { due: '2026-03-05' }, true],
  ['within next counts whole days', { field: 'due', op: 'within next', value: { days: 2 } }, { due: '2026-03-05' }, true],
  ['within next leaves the past out', { field: 'due', op: 'within next', value: { days: 2 } }, { due: '2026-03-02' }, false],
  ['within last', { field: 'due', op: 'within last', value: { days: 1 } }, { due: '2026-03-02' }, true],
  ['a person is named by e-mail', { field: 'owner', op: 'is', value: INES }, { owner: 1 }, true],
  ['a path through a link', { field: 'owner.team', op: 'is', value: 'Claims' }, { owner: 1 }, true],
  ['a path through two links', { field: 'owner.manager.first_name', op: 'is', value: 'Ines' }, { owner: 2 }, true],
  ['a blank link makes what is beyond it blank', { field: 'owner.team', op: 'is blank' }, { owner: null }, true],
  ['whoever made the change', { field: 'owner', op: 'is', value: { changedBy: true } }, { owner: 2 }, true],
  ['a formula', { field: 'amount', op: 'at least', value: { formula: '2 * 3 + string length(number)' } }, { amount: 13 }, true],
  ['a formula over a link', { field: 'note', op: 'is', value: { formula: 'owner.first_name + " " + record.status' } }, { owner: 2, note: 'rafi new' }, true],
  ['a formula that gives nothing', { field: 'amount', op: 'at least', value: { formula: 'owner.shoe' } }, { amount: 13 }, false],
  ['another field', { field: 'number', op: 'is', value: { field: 'note' } }, { note: 'cl-0007' }, true],
])('%s', (_name, clause, image, expected) => expect(now(clause, image)).toBe(expected))

test.each<[string, Clause, Image | null, Image, boolean]>([
  ['changed', { field: 'status', op: 'changed' }, { status: 'New' }, { status: 'Settled' }, true],
  ['letter case counts as a change', { field: 'note', op: 'changed' }, { note: 'a' }, { note: 'A' }, true],
  ['10 and 10.00 do not differ', { field: 'amount', op: 'changed' }, { amount: 10 }, { amount: '10.00' }, false],
  ['blank to blank is no change', { field: 'note', op: 'changed' }, { note: null }, { note: '  ' }, false],
  ['changed to', { field: 'status', op: 'changed to', value: 'Settled' }, { status: 'New' }, { status: 'Settled' }, true],
  ['changed to, but it was so before', { field: 'status', op: 'changed to', value: 'New' }, { status: 'New' }, { status: 'New', note: 'x' }, false],
  ['changed to blank', { field: 'note', op: 'changed to', value: '' }, { note: 'x' }, { note: null }, true],
  ['changed from', { field: 'status', op: 'changed from', value: 'New' }, { status: 'New' }, { status: 'Settled' }, true],
  ['changed from to', { field: 'status', op: 'changed from to', value: 'New', to: 'In review' }, { status: 'New' }, { status: 'Settled' }, false],
  ['rose', { field: 'amount', op: 'rose' }, { amount: 1 }, { amount: 2 }, true],
  ['rose needs a value before', { field: 'amount', op: 'rose' }, { amount: null }, { amount: 2 }, false],
  ['fell', { field: 'amount', op: 'fell' }, { amount: 3 }, { amount: 2 }, true],
  ['crossed above, reaching the line', { field: 'amount', op: 'crossed above', value: 100 }, { amount: 99 }, { amount: 100 }, true],
  ['crossed above, from the line', { field: 'amount', op: 'crossed above', value: 100 }, { amount: 100 }, { amount: 101 }, false],
  ['crossed below', { field: 'amount', op: 'crossed below', value: 100 }, { amount: 101 }, { amount: 100 }, true],
])('%s', (_name, clause, before, after, expected) => expect(holds(clause, before, after)).toBe(expected))

test('on created, a filled field counts as changed and before is blank', () => {
  expect(holds({ field: 'status', op: 'changed to', value: 'New' }, null, { status: 'New' }, 'created')).toBe(true)
  expect(holds({ field: 'status', op: 'changed from', value: '' }, null, { status: 'New' }, 'created')).toBe(true)
  expect(holds({ field: 'amount', op: 'crossed above', value: 1 }, null, { amount: 5 }, 'created')).toBe(false)
})

test('on deleted, plain operators look at the image before and change operators never hold', () => {
  expect(holds({ field: 'status', op: 'is', value: 'New' }, { status: 'New' }, null, 'deleted')).toBe(true)
  expect(holds({ field: 'status', op: 'changed' }, { status: 'New' }, null, 'deleted')).toBe(false)
})

test('all, any and none nest; an empty all holds, an empty any does not', () => {
  const isNew: Clause = { field: 'status', op: 'is', value: 'New' }
  const isLarge: Clause = { field: 'amount', op: 'more than', value: 100 }
  const image = { status: 'New', amount: 5 }
  expect(holds({ all: [isNew, { none: [isLarge] }] }, image, image)).toBe(true)
  expect(holds({ any: [isLarge, { all: [isNew, isLarge] }] }, image, image)).toBe(false)
  expect(holds({ all: [] }, image, image)).toBe(true)
  expect(holds({ any: [] }, image, image)).toBe(false)
})

test('a muted clause is passed over', () => {
  const muted: Condition = { all: [{ field: 'status', op: 'is', value: 'Settled', muted: true }] }
  expect(holds(muted, { status: 'New' }, { status: 'New' })).toBe(true)
})

test('the explanation names each clause’s place and values, and agrees with the test', () => {
  const condition = compileCondition(
    { all: [{ field: 'amount', op: 'at least', value: 40 }, { any: [{ field: 'status', op: 'changed to', value: 'Settled' }] }] },
    CLAIMS,
    SURROUNDINGS,
    '/conditions',
  )
  expect(condition.explain(facts('changed', { amount: 10 }, { amount: 50 }))).toEqual([
    { path: '/conditions/all/0', field: 'amount', op: 'at least', value: 40, to: null, before: 10, after: 50, holds: true },
    { path: '/conditions/all/1/any/0', field: 'status', op: 'changed to', value: 'Settled', to: null, before: 'New', after: 'New', holds: false },
  ])
})

test.each<[Clause, string]>([
  [{ field: 'amount', op: 'at least', value: 40 }, 'amount is at least £40.00'],
  [{ field: 'owner', op: 'is', value: INES }, 'owner is Ines Okafor'],
  [{ field: 'owner.team', op: 'is one of', value: ['Claims', 'Quays'] }, 'owner’s team is one of Claims or Quays'],
  [{ field: 'due', op: 'within next', value: { days: 1 } }, 'due is within the next 1 day'],
  [{ field: 'status', op: 'changed from to', value: 'New', to: 'Settled' }, 'status changed from New to Settled'],
  [{ field: 'amount', op: 'less than', value: { field: 'amount' } }, 'amount is less than its amount'],
  [{ field: 'note', op: 'is', value: '' }, 'note is blank'],
])('%j reads “%s”', (clause, sentence) => {
  const names = new Map([[INES, 'Ines Okafor']])
  expect(clauseSentence(clause, CLAIMS, { schema: SCHEMA, organisation: ORGANISATION, names })).toBe(sentence)
})
