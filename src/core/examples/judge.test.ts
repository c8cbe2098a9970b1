import { CLAIMS } from '../../../tests/support/claims'
import { expectationOf, judge, type Outcome } from './judge'

const schema = new Map([[CLAIMS.name, CLAIMS]])
const mail = { to: ['ines@office.example'], cc: ['desk@office.example'], bcc: [], subject: 'Claim CL-1 settled', html: '<p>Settled at <b>10</b></p>', text: 'Settled at\n10' }
const outcome: Outcome = {
  fires: true,
  why: 'It was changed.',
  messages: [mail],
  updates: [{ table: 'claims', set: { amount: 10, status: 'Settled', note: null } }],
  creates: [{ table: 'claims' }],
  tasks: [{}],
  notes: [{ code: 'blank', message: 'owner is blank.' }],
}
const short = (expect: Omit<Parameters<typeof judge>[0], 'fires'>) => judge({ fires: true, ...expect }, outcome, schema)

test('whether it fires comes first, and hides the rest', () => {
  expect(judge({ fires: false, subject: 'x' }, outcome, schema)).toEqual(['It fires, and was not to: It was changed.'])
  expect(judge({ fires: true, to: ['a@x.example'] }, { ...outcome, fires: false, why: 'Status is New.' }, schema)).toEqual(['It does not fire: Status is New.'])
  expect(judge({ fires: false }, { ...outcome, fires: false }, schema)).toEqual([])
})

test('whoever stands in To has to be expected; those in Cc may be, in whatever letters', () => {
  expect(short({ to: ['INES@office.example'] })).toEqual([])
  expect(short({ to: ['ines@office.example', 'desk@office.example'] })).toEqual([])
  expect(short({ to: ['rafi@office.example'] })).toEqual(['Nothing goes to rafi@office.example.', 'It goes to ines@office.example too, which was not expected.'])
})

test('words are looked for in subjects and bodies, however lines are folded', () => {
  expect(short({ subject: 'CL-1', bodyHas: ['Settled at 10', '<b>10</b>'] })).toEqual([])
  expect(short({ subject: 'CL-2', bodyHas: ['Refused'] })).toEqual(['No subject contains “CL-2”; the first is “Claim CL-1 settled”.', 'No body contains “Refused”.'])
})

test('fields that are set are compared as their types are', () => {
  expect(short({ set: { amount: '10.00', note: '' } })).toEqual([])
  expect(short({ set: { status: 'settled', due: '2026-01-01' } })).toEqual(['status is set to “Settled”, not to “settled”.', 'due is not set.'])
})

test('creations are counted, tasks among them, and notes found by code or words', () => {
  expect(short({ created: ['tasks', 'claims'], notes: ['blank', 'owner is'] })).toEqual([])
  expect(short({ created: ['tasks', 'tasks', 'items'], notes: ['nobody'] })).toEqual([
    'Of 2 records of tasks 1 is created.',
    'No record of items is created.',
    'There is no note “nobody”.',
  ])
})

test('all that can be expected of an outcome is met by it', () => {
  const all = expectationOf(outcome)
  expect(all).toEqual({
    fires: true,
    to: ['ines@office.example'],
    subject: 'Claim CL-1 settled',
    set: { amount: 10, status: 'Settled', note: null },
    created: ['claims', 'tasks'],
    notes: ['blank'],
  })
  expect(judge(all, outcome, schema)).toEqual([])
  expect(expectationOf({ ...outcome, fires: false })).toEqual({ fires: false })
})
