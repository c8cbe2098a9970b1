import { ORGANISATION, SCHEMA } from '../../../tests/support/core'
import type { Clause } from '../document/condition'
import type { FieldDef, Stored } from '../values/tables'
import { fitsValue } from './fits-value'

const setting = { schema: SCHEMA, organisation: ORGANISATION, people: new Map([['ann@x.example', 7]]) }
const NOW = new Date('2026-03-09T12:00:00Z')
const number: FieldDef = { name: 'n', label: 'N', type: 'number' }
const day: FieldDef = { name: 'd', label: 'D', type: 'date' }
const person: FieldDef = { name: 'p', label: 'P', type: 'person' }

test.each<[FieldDef, Omit<Clause, 'field'>, Stored, boolean]>([
  [number, { op: 'more than', value: 40 }, 41, true],
  [number, { op: 'more than', value: 40 }, 40, false],
  [number, { op: 'crossed above', value: 40 }, 41, true],
  [number, { op: 'crossed below', value: 40 }, 41, false],
  [number, { op: 'between', value: 1, to: 5 }, 5, true],
  [number, { op: 'is blank' }, null, true],
  [number, { op: 'is filled' }, 3, true],
  [day, { op: 'within next', value: { days: 7 } }, '2026-03-12', true],
  [day, { op: 'within next', value: { days: 7 } }, '2026-04-12', false],
  [day, { op: 'is', value: { today: 1 } }, '2026-03-10', true],
  [person, { op: 'is', value: 'ann@x.example' }, 7, true],
  [person, { op: 'is one of', value: ['ann@x.example'] }, 8, false],
])('%j %j of %j: %j', (field, clause, value, fits) => expect(fitsValue({ field: 'x', ...clause }, field, setting, NOW)?.(value)).toBe(fits))

test.each<[FieldDef, Omit<Clause, 'field'>]>([
  [number, { op: 'rose' }],
  [number, { op: 'more than', value: { field: 'other' } }],
  [number, { op: 'more than' }],
  [number, { op: 'is', value: { formula: '1 + 1' } }],
])('%j %j cannot be told from the value alone', (field, clause) => expect(fitsValue({ field: 'x', ...clause }, field, setting, NOW)).toBeNull())
