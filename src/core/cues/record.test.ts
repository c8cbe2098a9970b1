import type { RecordCue } from '../document/document'
import { type Happening, notWaitedFor } from './record'

const cue: RecordCue = { kind: 'record', on: ['created', 'changed'], fields: ['status', 'owner'] }

test.each<[string, Partial<Happening>, ReturnType<typeof notWaitedFor>]>([
  ['another table', { table: 'leads' }, 'of another table'],
  ['another kind', { kind: 'deleted' }, 'of another kind'],
  ['a creation, whatever it fills', { kind: 'created', changed: ['note'] }, null],
  ['a change of one of the fields', { changed: ['note', 'owner'] }, null],
  ['a change of others', { changed: ['note'] }, 'in other fields'],
  ['a change of nothing', { changed: [] }, 'no change'],
  ['a change of fields that are not known', { changed: null }, null],
])('%s', (_name, parts, answer) => {
  expect(notWaitedFor(cue, 'claims', { table: 'claims', kind: 'changed', changed: ['status'], ...parts })).toBe(answer)
})

test('without fields any change counts', () => {
  expect(notWaitedFor({ kind: 'record', on: ['changed'] }, 'claims', { table: 'claims', kind: 'changed', changed: ['note'] })).toBeNull()
})
