import { INES, newClaimWorkflow } from '../../../tests/support/claims'
import { ORGANISATION, SCHEMA } from '../../../tests/support/core'
import { valueAt, withValue } from '../document/pointer'
import { briefOf } from './brief'

const wording = { schema: SCHEMA, organisation: ORGANISATION, names: new Map([[INES, 'Ines Okafor']]) }

test('a brief is the workflow in numbered lines', () => {
  const workflow = newClaimWorkflow({
    cue: { kind: 'record', on: ['created', 'changed'], fields: ['amount'], whose: { person: INES } },
    conditions: { all: [{ field: 'amount', op: 'at least', value: 40 }, { any: [{ field: 'status', op: 'is', value: 'New', muted: true }] }] },
  })
  expect(briefOf(workflow, wording).map((l) => [l.number, l.role, l.words, l.path])).toEqual([
    ['1', 'cue', 'a claim is created or changed in amount, Ines Okafor’s', '/cue'],
    ['2', 'becomes', 'all of these hold, as they did not before', '/conditions'],
    ['2.1', '', 'amount is at least £40.00', '/conditions/all/0'],
    ['2.2', '', 'any of these holds', '/conditions/all/1'],
    ['2.2.1', '', 'status is New', '/conditions/all/1/any/0'],
    ['3', 'email', 'its owner', '/actions/0'],
  ])
})

test('a workflow that waits for additions only does not speak of before', () => {
  const lines = briefOf(newClaimWorkflow({ conditions: { field: 'amount', op: 'is filled' } }), wording)
  expect(lines.map((l) => [l.role, l.words]).slice(1, 3)).toEqual([
    ['where', 'all of these hold'],
    ['', 'amount is filled'],
  ])
})

test('recipients read as words', () => {
  const to = [{ managerOf: 'owner' }, { field: 'before.owner' }, { group: 'Desk' }, { changedBy: true as const }, { address: 'a@x.example' }]
  const [, line] = briefOf(
    newClaimWorkflow({ actions: [{ name: 'a', do: 'email', to, cc: [{ team: 'Claims' }], delivery: 'each', subject: 'Hello', body: 'B', priority: 'high' }] }),
    wording,
  )
  expect(line).toMatchObject({
    words: 'the manager of its owner and its previous owner and the group Desk and whoever made the change and a@x.example, copy to the team Claims, one each',
    detail: '“Hello” · high',
  })
})

test('a pointer reads and replaces one place and shares the rest', () => {
  const workflow = newClaimWorkflow({ conditions: { all: [{ field: 'a', op: 'is', value: 1 }] } })
  const next = withValue(workflow, '/conditions/all/0/value', 2)
  expect([valueAt(next, '/conditions/all/0/value'), valueAt(workflow, '/conditions/all/0/value'), next.actions === workflow.actions]).toEqual([2, 1, true])
  expect(withValue({ a: [1, 2, 3], 'b/c': 1 }, '/a/1', undefined)).toEqual({ a: [1, 3], 'b/c': 1 })
  expect(valueAt({ 'b/c~d': 5 }, '/b~1c~0d')).toBe(5)
})

test('branches, repetitions, writes and what is brought in are lines of their own', () => {
  const workflow = newClaimWorkflow({
    bringIn: [
      { name: 'boss', link: 'owner.manager' },
      {
        name: 'others',
        list: 'claims.owner',
        of: 'owner',
        where: {
          all: [
            { field: 'status', op: 'is', value: 'New' },
            { field: 'amount', op: 'is filled' },
          ],
        },
        limit: 5,
      },
    ],
    values: [{ name: 'total', formula: 'sum(others.amount)' }],
    actions: [
      {
        name: 'which',
        do: 'choose',
        branches: [
          {
            when: {
              any: [
                { field: 'status', op: 'is', value: 'New' },
                { field: 'owner', op: 'is blank' },
              ],
            },
            actions: [{ name: 'mark', do: 'update', set: { note: { text: '{{ total }}' }, due: { today: 2 } } }],
          },
        ],
        otherwise: [{ name: 'say', do: 'notice', channel: 'Quays', to: [{ field: 'owner' }], text: 'One\nTwo' }],
      },
      { name: 'all', do: 'each', of: 'others', as: 'other', actions: [{ name: 'todo', do: 'task', subject: 'See', owner: 'other.owner', due: { today: 1 } }] },
      { name: 'next', do: 'create', table: 'claims', set: { status: 'New', owner: { field: 'boss' } } },
    ],
  })
  expect(briefOf(workflow, wording).map((l) => [l.number, l.role, l.words])).toEqual([
    ['1', 'cue', 'a claim is created, anyone’s'],
    ['2', 'bring', 'its owner’s manager, as boss'],
    ['3', 'bring', 'claims of the owner where status is New and amount is filled, at most 5, as others'],
    ['4', 'value', 'total is = sum(others.amount)'],
    ['5', 'choose', 'the first of these that holds'],
    ['5.1', 'if', 'status is New or owner is blank'],
    ['5.1.1', 'update', 'the claim: note to “{{ total }}”, due to 2 days on'],
    ['5.2', 'else', 'otherwise'],
    ['5.2.1', 'notice', 'to the channel Quays and its owner'],
    ['6', 'each', 'other of others'],
    ['6.1', 'task', 'for the other’s owner, due 1 day on'],
    ['7', 'create', 'a claim with status New, owner its boss'],
  ])
})
