import { newClaimWorkflow } from '../../../tests/support/claims'
import { SCHEMA, SURROUNDINGS } from '../../../tests/support/core'
import type { EmailAction, Workflow } from '../workflow/document'
import { readWorkflow } from '../workflow/schema'
import { review } from './review'

const setting = { schema: SCHEMA, people: SURROUNDINGS.people, groups: new Set(['Desk']), teams: new Set(['Claims']), engines: SURROUNDINGS.engines }
const found = (parts: Partial<Workflow>) => review(newClaimWorkflow(parts), setting).map((f) => [f.code, f.path])
const clause = (c: object) => found({ conditions: { all: [c as never] } })
const email = (parts: Partial<EmailAction>) => found({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', ...parts }] })

test('a sound workflow has no findings', () => expect(found({})).toEqual([]))

test.each<[string, object, string, string]>([
  ['an unknown field', { field: 'amuont', op: 'is', value: 1 }, 'unknown field', '/field'],
  ['an operator that does not fit', { field: 'status', op: 'at least', value: 1 }, 'operator does not fit', '/op'],
  ['a value that is not a choice', { field: 'status', op: 'is', value: 'Gone' }, 'not a choice', '/value'],
  ['a value of the wrong type', { field: 'amount', op: 'at least', value: 'much' }, 'wrong type', '/value'],
  ['a person nobody knows', { field: 'owner', op: 'is', value: 'x@y.example' }, 'unknown person', '/value'],
  ['a missing value', { field: 'amount', op: 'at least' }, 'no value', '/value'],
  ['a list where one value is wanted', { field: 'status', op: 'is', value: ['New'] }, 'wrong value', '/value'],
  ['fields of different types', { field: 'amount', op: 'is', value: { field: 'due' } }, 'types differ', '/value'],
  ['a path through what is no link', { field: 'status.name', op: 'is', value: 'x' }, 'unknown field', '/field'],
])('%s is found where it stands', (_name, c, code, path) => expect(clause(c)).toEqual([[code, `/conditions/all/0${path}`]]))

test('a mistyped field is answered with the one that may be meant', () => {
  const [finding] = review(newClaimWorkflow({ conditions: { field: 'amuont', op: 'is blank' } }), setting)
  expect(finding?.message).toContain('did you mean amount?')
})

test.each<[string, Partial<EmailAction>, string, string]>([
  ['no recipient', { to: [] }, 'no recipient', '/to'],
  ['a faulty address', { to: [{ address: 'x@' }] }, 'faulty address', '/to/0/address'],
  ['an unknown group', { to: [{ group: 'Dsk' }] }, 'unknown group', '/to/0/group'],
  ['a field that gives no address', { to: [{ field: 'amount' }] }, 'not an address', '/to/0/field'],
  ['no subject', { subject: ' ' }, 'no subject', '/subject'],
  ['no body', { body: '' }, 'no body', '/body'],
  ['a bare field', { body: '{{ amount }}' }, 'unknown placeholder', '/body'],
  ['an unknown field in a placeholder', { body: '{{ claim.owner.shoe }}' }, 'unknown placeholder', '/body'],
  ['an unknown part of the change', { subject: '{{ change.who }}' }, 'unknown placeholder', '/subject'],
  ['a template that does not parse', { body: '{% if %}' }, 'text does not parse', '/body'],
])('%s is found in an email', (_name, parts, code, path) => expect(email(parts)).toEqual([[code, `/actions/0${path}`]]))

test('all that is wrong is found at once', () => {
  expect(found({ conditions: { any: [] }, actions: [{ name: 'a', do: 'email', to: [], subject: '', body: '' }] })).toHaveLength(4)
})

test('an unknown table is named with its neighbour', () => {
  expect(review(newClaimWorkflow({ table: 'claim' }), setting)).toEqual([
    expect.objectContaining({ code: 'unknown table', message: expect.stringContaining('Did you mean claims?') }),
  ])
})

test('parts that cannot run in this version block going live rather than being passed over', () => {
  expect(found({ limits: { perDay: 3 }, bringIn: [{ name: 'x', link: 'owner' }] }).map(([code]) => code)).toEqual(['not supported', 'not supported'])
})

test('a document of the wrong shape is refused with every place', () => {
  const read = readWorkflow({
    rappel: 'workflow/1',
    name: 'x',
    table: 'claims',
    cue: { kind: 'record', on: ['moved'] },
    actions: [{ do: 'email', name: 'a', to: [{ feld: 'owner' }], extra: 1 }],
  })
  const paths = 'problems' in read ? read.problems.map((p) => p.path) : []
  expect(paths).toEqual(expect.arrayContaining(['/cue/on/0', '/actions/0/to/0', '/actions/0']))
})

test('every kind of action and cue in the contract is a document', () => {
  const base = { rappel: 'workflow/1', name: 'x', table: 'claims' }
  const actions = [
    { name: 'n', do: 'notice', channel: 'Quays', text: 'T' },
    { name: 'u', do: 'update', set: { status: 'Settled', note: { text: '{{ x }}' } } },
    { name: 'c', do: 'create', table: 'claims', set: { due: { today: 2 } } },
    { name: 't', do: 'task', subject: 'S', due: { now: true } },
    { name: 'o', do: 'choose', branches: [{ when: { field: 'status', op: 'is', value: 'New' }, actions: [{ name: 'e', do: 'email', to: [] }] }], otherwise: [] },
    { name: 'f', do: 'each', of: 'bookings', as: 'booking', actions: [] },
  ]
  for (const cue of [
    { kind: 'figure', figure: 'f', threshold: 't' },
    { kind: 'timetable', cron: '0 8 * * 1', per: 'owner' },
    { kind: 'by hand', ask: [{ name: 'n', label: 'N', type: 'text' }] },
  ]) {
    expect(readWorkflow({ ...base, cue, actions })).toHaveProperty('workflow')
  }
})
