import { INES, newClaimWorkflow } from '../../../tests/support/claims'
import { ORGANISATION, SCHEMA } from '../../../tests/support/core'
import { briefOf } from './brief'
import { valueAt, withValue } from './pointer'

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
