import { newClaimWorkflow } from '../../../tests/support/claims'
import { aliveLines } from './lines'
import { type Rehearsed, warningsOf } from './warnings'

const quiet: Rehearsed = {
  cued: 100,
  firings: 10,
  survivors: [],
  byRecipient: [],
  nobody: { count: 0, reasons: [], examples: [] },
  nobodyAt: {},
  repeats: [],
  failed: [],
  blanks: [],
  overlaps: [],
}
const past = { id: 4, record: 1, title: 'CL-1', kind: 'changed' as const, at: new Date(0) }
const found = (parts: Partial<Rehearsed>, workflow = newClaimWorkflow()) => warningsOf(workflow, { ...quiet, ...parts }).map((f) => [f.code, f.path])

test('lines that stop everything or nothing are told, those within any passed over', () => {
  const survivors = [
    { path: '/conditions/all/0', count: 100 },
    { path: '/conditions/all/1', count: 40 },
    { path: '/conditions/all/1/any/0', count: 0 },
    { path: '/conditions/all/2', count: 0 },
    { path: '/conditions/all/3', count: 0 },
  ]
  expect(found({ survivors })).toEqual([
    ['always holds', '/conditions/all/0'],
    ['never holds', '/conditions/all/2'],
  ])
  expect(found({ survivors, cued: 0 })).toEqual([])
})

test('repeated firings, floods, nobody to send to and failures are told with their numbers', () => {
  const repeats = [{ record: 1, title: 'CL-1', firings: 9, changes: [past] }]
  expect(warningsOf(newClaimWorkflow({ firing: 'every' }), { ...quiet, repeats })[0]?.message).toMatch(/9 times for CL-1.*fires every time/)
  expect(found({ repeats: [{ record: 1, title: 'CL-1', firings: 2, changes: [] }] })).toEqual([])
  expect(found({ byRecipient: [{ address: 'a@x.example', messages: 40, mostADay: 11, changes: [] }] })).toEqual([['many mails a day', '/actions']])
  expect(found({ nobodyAt: { '/actions/0': 4 } })).toEqual([['nobody to send to', '/actions/0']])
  expect(found({ failed: [{ message: 'M', count: 2, example: past }] })).toEqual([['would have failed', '/actions']])
})

test('a placeholder that is often blank is told at the email that has it, unless it says what to write then', () => {
  const email = (body: string) => newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body }] })
  const blanks = [
    { placeholder: 'owner.phone', share: 0.3 },
    { placeholder: 'amount', share: 0.05 },
  ]
  expect(found({ blanks }, email('{{ claim.owner.phone }} {{ claim.amount }}'))).toEqual([['often blank', '/actions/0']])
  expect(found({ blanks }, email('{{ claim.owner.phone | default: "none" }}'))).toEqual([])
})

test('what is alive at a line is what it and all before it let through; within any, only itself', () => {
  const clause = (field: string) => ({ field, op: 'is filled' as const })
  const [a, b, c, d] = ['a', 'b', 'c', 'd'].map(clause) as [ReturnType<typeof clause>, ReturnType<typeof clause>, ReturnType<typeof clause>, ReturnType<typeof clause>]
  expect(aliveLines({ all: [a, { any: [b, { ...c, muted: true }] }, { none: [d] }] })).toEqual([
    { path: '/conditions/all/0', alive: a, before: null },
    { path: '/conditions/all/1', alive: { all: [a, { any: [b, { ...c, muted: true }] }] }, before: { all: [a] } },
    { path: '/conditions/all/1/any/0', alive: { all: [a, b] }, before: { all: [a] } },
    { path: '/conditions/all/2', alive: { all: [a, { any: [b, { ...c, muted: true }] }, { none: [d] }] }, before: { all: [a, { any: [b, { ...c, muted: true }] }] } },
    { path: '/conditions/all/2/none/0', alive: { all: [a, { any: [b, { ...c, muted: true }] }, { none: [d] }] }, before: { all: [a, { any: [b, { ...c, muted: true }] }] } },
  ])
})
