import type { Raw } from './cell'
import { Column, proposeTable, singularOf, snakeName } from './propose'

const column = (heading: string, values: readonly Raw[]) => {
  const made = new Column(heading)
  for (const value of values) made.add(value)
  return made
}
const twenty = <T>(of: (i: number) => T) => Array.from({ length: 20 }, (_, i) => of(i))

test.each([
  ['Count', twenty((i) => `${i * 37}`), 'number'],
  ['Count', twenty((i) => i * 0.5), 'number'],
  ['Sum', twenty((i) => `£${i},000.00`), 'money'],
  ['Sum', twenty((i) => `1.${100 + i},50`), 'money'],
  ['Fare', twenty((i) => i), 'money'],
  ['Due', twenty((i) => `${i + 1}/3/2026`), 'date'],
  ['Due', twenty((i) => ({ wall: new Date(Date.UTC(2026, 2, i + 1)) })), 'date'],
  ['At', twenty((i) => `2026-03-0${1 + (i % 9)} 08:${10 + i}`), 'date-time'],
  ['Paid', twenty((i) => (i % 3 ? 'yes' : 'No')), 'yes/no'],
  ['Paid', twenty((i) => i % 2 === 0), 'yes/no'],
  ['Mail', twenty((i) => `p${i}@x.example`), 'email'],
  ['Phone', twenty((i) => `+44 20 7946 00${10 + i}`), 'phone'],
  ['Mobile', twenty((i) => `0794600${10 + i}`), 'phone'],
  ['Status', twenty((i) => ['New', 'Open', 'Done'][i % 3] ?? ''), 'choice'],
  ['Name', twenty((i) => `Person ${String.fromCharCode(65 + i)}`), 'text'],
  ['Note', twenty((i) => (i % 5 ? `n${i}` : 'a long one '.repeat(30))), 'long text'],
  ['Mixed', twenty((i) => (i === 3 ? 'n/a' : `${i}`)), 'text'],
  ['Empty', twenty(() => null), 'text'],
] as const)('%s of such values holds what its values say (%#)', (heading, values, type) => expect(column(heading, values).type()).toBe(type))

test('choices are there by how often they are; an automatic number is a pattern; a title tells rows apart', () => {
  const [number, status, name] = [
    column(
      'Ref',
      twenty((i) => `CL-${String(i + 1).padStart(4, '0')}`),
    ),
    column(
      'Status',
      twenty((i) => (i % 4 ? 'Open' : 'Done')),
    ),
    column(
      'Name',
      twenty((i) => `N ${'x'.repeat(i)}`),
    ),
  ]
  expect(
    proposeTable('Guest bookings', [number, status, name, column('Créated by (e-mail)', ['x']), column('', ['else']), column('id', ['z'])], new Map([[name, { type: 'person' }]])),
  ).toEqual({
    name: 'guest_bookings',
    label: 'Guest bookings',
    singular: 'guest_booking',
    titleField: 'ref',
    ownerField: 'name',
    fields: [
      { name: 'ref', label: 'Ref', type: 'text', number: 'CL-{0000}' },
      { name: 'status', label: 'Status', type: 'choice', choices: ['Open', 'Done'] },
      { name: 'name', label: 'Name', type: 'person' },
      { name: 'created_by_e_mail', label: 'Créated by (e-mail)', type: 'text' },
      { name: 'field_5', label: 'Field 5', type: 'text' },
      { name: 'id_6', label: 'id', type: 'text' },
    ],
  })
})

test.each([
  ['claims', 'claim'],
  ['enquiries', 'enquiry'],
  ['boxes', 'box'],
  ['status', 'status_record'],
  ['staff', 'staff_record'],
  ['changes', 'change_entry'],
  ['stays', 'stay_entry'],
])('one of %s is a %s', (name, one) => expect(singularOf(name)).toBe(one))

test.each([
  ['Prix, réglé', 'prix_regle'],
  ['2026 total', 'field_2026_total'],
  ['…', 'field'],
])('%s is named %s', (text, name) => expect(snakeName(text, 'field')).toBe(name))
