import { CLAIMS } from '../../../tests/support/claims'
import { type LogRow, netChanges } from './change'
import { fallsInto, isVisible, parseSnapshot } from './snapshot'

const base = { table: 'claims', record: 1, at: new Date(0), by: { kind: 'system' as const, person: null, name: 'x' }, transaction: '9', run: null, depth: 0, changed: [] }
const row = (id: number, part: Partial<LogRow>): LogRow => ({ ...base, id, kind: 'changed', before: null, after: null, ...part })
const tables = () => CLAIMS

test('one row is its own net change, with the whole image before it', () => {
  const [change] = netChanges([row(5, { before: { status: 'New' }, after: { id: 1, status: 'Settled', amount: 3 }, changed: ['status'] })], tables)
  expect(change).toMatchObject({ id: 5, kind: 'changed', before: { id: 1, status: 'New', amount: 3 }, after: { status: 'Settled' }, changed: ['status'] })
})

test('rows of one transaction fold to first before and last after, by the last id', () => {
  const rows = [row(1, { before: { status: 'New' }, after: { status: 'In review', amount: 1 } }), row(2, { before: { amount: 1 }, after: { status: 'In review', amount: 2 } })]
  expect(netChanges(rows, tables)).toEqual([
    expect.objectContaining({ id: 2, before: { status: 'New', amount: 1 }, after: { status: 'In review', amount: 2 }, changed: ['status', 'amount'] }),
  ])
})

test('created then deleted is nothing; there and back is nothing', () => {
  expect(netChanges([row(1, { kind: 'created', after: { status: 'New' } }), row(2, { kind: 'deleted', before: { status: 'New' } })], tables)).toEqual([])
  expect(netChanges([row(1, { before: { amount: 1 }, after: { amount: 2 } }), row(2, { before: { amount: 2 }, after: { amount: 1 } })], tables)).toEqual([])
})

test('changes of different transactions stay apart, in order of id', () => {
  const rows = [row(1, { after: { amount: 2 }, before: { amount: 1 } }), row(2, { transaction: '10', after: { amount: 3 }, before: { amount: 2 } })]
  expect(netChanges(rows, tables).map((c) => c.id)).toEqual([1, 2])
})

// Source: PostgreSQL documentation, section 9.27.8, the example snapshot 10:20:10,14,15.
test('a snapshot tells which transactions had committed before it', () => {
  const snapshot = parseSnapshot('10:20:10,14,15')
  expect([9n, 10n, 11n, 14n, 19n, 20n].map((id) => isVisible(id, snapshot))).toEqual([true, false, true, false, true, false])
})

test('a transaction falls into the stretch between two snapshots, never into two that touch', () => {
  const [a, b] = [parseSnapshot('10:20:15'), parseSnapshot('22:30:25')]
  expect(['12', '15', '21', '25', '40'].map((id) => fallsInto(id, a, b))).toEqual([false, true, true, false, false])
  expect(['12', '15', '21', '25', '40'].map((id) => fallsInto(id, b, null))).toEqual([false, false, false, true, true])
})

test('what is not a snapshot is refused', () => {
  expect(() => parseSnapshot('10;20')).toThrow('is not a pg_snapshot')
})
