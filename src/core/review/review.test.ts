import { newClaimWorkflow } from '../../../tests/support/claims'
import { SCHEMA, SURROUNDINGS } from '../../../tests/support/core'
import type { EmailAction, Workflow } from '../document/document'
import { readWorkflow } from '../document/schema'
import { review } from './review'

const setting = {
  organisation: SURROUNDINGS.organisation,
  schema: SCHEMA,
  people: SURROUNDINGS.people,
  groups: new Set(['Desk']),
  teams: new Set(['Claims']),
  engines: SURROUNDINGS.engines,
}
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
  expect(found({ limits: { perDay: 3 } })).toEqual([])
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

test.each<[string, Partial<Workflow>, string, string]>([
  ['a list of a table that is not there', { bringIn: [{ name: 'x', list: 'shoes.owner' }] }, 'cannot be brought in', '/bringIn/0/list'],
  ['a list that points elsewhere', { bringIn: [{ name: 'x', list: 'claims.owner' }] }, 'cannot be brought in', '/bringIn/0/list'],
  ['a link that is none', { bringIn: [{ name: 'x', link: 'amount' }] }, 'cannot be brought in', '/bringIn/0/link'],
  ['a name that is a field', { bringIn: [{ name: 'owner', link: 'owner' }] }, 'same name', '/bringIn/0/name'],
  ['a name that cannot be written', { bringIn: [{ name: 'My boss', link: 'owner' }] }, 'faulty name', '/bringIn/0/name'],
  ['both a link and a list', { bringIn: [{ name: 'x', link: 'owner', list: 'claims' }] }, 'wrong shape', '/bringIn/0'],
  ['an unknown order', { bringIn: [{ name: 'x', list: 'claims', order: '-shoe' }] }, 'unknown field', '/bringIn/0/order'],
  ['a formula that does not parse', { values: [{ name: 'x', formula: '1 +' }] }, 'formula does not parse', '/values/0/formula'],
])('%s is found in what is brought in', (_name, parts, code, path) => expect(found(parts)).toEqual([[code, path]]))

const act = (action: object) => found({ actions: [{ name: 'a', ...action } as never] })

test.each<[string, object, string, string]>([
  ['an update of nothing', { do: 'update', set: {} }, 'nothing set', '/set'],
  ['an update of an unknown field', { do: 'update', set: { shoe: 1 } }, 'unknown field', '/set/shoe'],
  ['an update to a value that does not fit', { do: 'update', set: { status: 'Gone' } }, 'not a choice', '/set/status'],
  ['an update of people', { do: 'update', target: 'owner', set: { name: 'x' } }, 'unknown name', '/target'],
  ['a creation in no table', { do: 'create', table: 'shoes', set: { a: 1 } }, 'unknown table', '/table'],
  ['a task where there is no table of tasks', { do: 'task', subject: 'S' }, 'no tasks', ''],
  ['a recipient’s text that is empty', { do: 'email', to: [{ text: ' ' }], subject: 'S', body: 'B' }, 'no address', '/to/0/text'],
  ['a notice to nobody', { do: 'notice', text: 'T' }, 'no recipient', ''],
  ['a notice to an unknown channel', { do: 'notice', channel: 'Quays', text: 'T' }, 'unknown channel', '/channel'],
  ['a notice to somebody who is not here', { do: 'notice', to: [{ address: 'out@x.example' }], text: 'T' }, 'not here', '/to/0/address'],
  ['a for-each over no list', { do: 'each', of: 'guests', as: 'guest', actions: [] }, 'unknown list', '/of'],
  ['a choice without branches', { do: 'choose', branches: [] }, 'empty condition', '/branches'],
  ['a faulty clause in a branch', { do: 'choose', branches: [{ when: { field: 'shoe', op: 'is blank' }, actions: [] }] }, 'unknown field', '/branches/0/when/field'],
  ['an unknown template', { do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', template: 'T' }, 'unknown template', '/template'],
  ['an unknown sender', { do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', from: { sender: 'Quay' } }, 'unknown sender', '/from/sender'],
  ['a recipient list that is not there', { do: 'email', to: [{ list: 'guests', field: 'email' }], subject: 'S', body: 'B' }, 'unknown list', '/to/0/list'],
])('%s is found in an action', (_name, action, code, path) => expect(act(action)).toEqual([[code, `/actions/0${path}`]]))

test('a group without clauses holds or not, and is asked about', () => {
  const asked = (conditions: Workflow['conditions']) => review(newClaimWorkflow({ conditions }), setting).map((f) => [f.level, f.code, f.message])
  expect(asked({ all: [] })).toEqual([['warning', 'empty condition', '“all of” has no clauses, so it always holds. Add one or remove the line.']])
  expect(asked({ any: [] })).toEqual([['warning', 'empty condition', '“any of” has no clauses, so it never holds. Add one or remove the line.']])
})

test('blank is written as null too, on either side and in what is set', () => {
  const blank = newClaimWorkflow({
    conditions: { field: 'status', op: 'changed from to', value: 'New', to: null },
    actions: [{ name: 'clear', do: 'update', set: { owner: null } }],
  })
  expect(readWorkflow(blank)).toHaveProperty('workflow')
  expect(review(blank, setting)).toEqual([])
})

test('actions can be nested three deep, no deeper', () => {
  const nest = (depth: number): object => ({
    name: `n${depth}`,
    do: 'choose',
    branches: [{ when: { field: 'status', op: 'is filled' }, actions: depth === 0 ? [] : [nest(depth - 1)] }],
  })
  expect([act(nest(2)), act(nest(3)).map(([code]) => code)]).toEqual([[], ['nested too deep']])
})

test('what an action creates is known to those after it, not before', () => {
  const tell = (name: string) => ({ name, do: 'email' as const, to: [{ address: 'a@x.example' }], subject: '{{ copy.number }}', body: 'B' })
  const create = { name: 'copy', do: 'create' as const, table: 'claims', set: { status: 'New' } }
  expect(found({ actions: [create, tell('after')] })).toEqual([])
  expect(found({ actions: [tell('before'), create] })).toEqual([['unknown placeholder', '/actions/0/subject']])
})

test.each<[string, object, string[]]>([
  ['mail to its keeper', { do: 'email', to: [{ address: 'Ines@X.example' }], subject: 'S', body: 'B' }, []],
  ['mail to others, in any list', { do: 'email', to: [{ field: 'owner' }], cc: [{ address: 'b@x.example' }], subject: 'S', body: 'B' }, ['/to/0', '/cc/0']],
  ['an update', { do: 'update', set: { status: 'Settled' } }, ['']],
  [
    'an update in a branch',
    { do: 'choose', branches: [{ when: { field: 'status', op: 'is filled' }, actions: [{ name: 'u', do: 'update', set: { status: 'Settled' } }] }] },
    ['/branches/0/actions/0'],
  ],
  ['a line that is muted', { do: 'update', muted: true, set: { status: 'Settled' } }, []],
])('of a member’s own workflow: %s', (_name, action, paths) => {
  const actions = [
    { name: 'a', do: 'email', to: [{ address: 'ines@x.example' }], subject: 'S', body: 'B' },
    { name: 'b', ...action },
  ] as never
  const findings = review(newClaimWorkflow({ actions }), { ...setting, onlyTo: 'ines@x.example' }).filter((f) => f.code === 'not for members')
  expect(findings.map((f) => f.path)).toEqual(paths.map((p) => `/actions/1${p}`))
})
