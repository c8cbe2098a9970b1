import { plainDay, plainInstant, plainNumber, waysOf } from '../values/plain'
import type { FieldDef } from '../values/tables'
import { guarded, type Reading, readCell, unguarded } from './cell'
import { matchColumns, plainName } from './columns'
import { recogniseDates, recogniseDecimal } from './ways'

test.each([
  [['1,234.50', '7'], '.'],
  [['1.234,50'], ','],
  [['12,5'], ','],
  [['1.234.567'], ','],
  [['1,234,567'], '.'],
  [['0.125'], '.'],
  [['1,234'], '.'], // could be either: as the organisation writes it
  [['1,234', '5,25'], ','],
  [['€ 1.250,00', 'none'], ','],
] as const)('%j are written with %s before decimals', (texts, decimal) => expect(recogniseDecimal(texts, '.')).toBe(decimal))

test.each([
  [['03/04/2026', '13/04/2026'], 'dmy'],
  [['03/04/2026', '04/13/2026'], 'mdy'],
  [['2026/03/04'], 'ymd'],
  [['03/04/2026'], 'dmy'],
  [['31.12.2025 08:30'], 'dmy'],
] as const)('%j have the order %s', (texts, order) => expect(recogniseDates(texts, 'dmy')).toBe(order))

// Source: Unicode CLDR, by way of Intl
test.each([
  ['en-GB', '.', 'dmy'],
  ['en-US', '.', 'mdy'],
  ['de-DE', ',', 'dmy'],
  ['sv-SE', ',', 'ymd'],
])('%s writes %s and %s', (locale, decimal, dates) => expect(waysOf(locale)).toEqual({ decimal, dates }))

test.each([
  ['1,234.50', '.', '1234.50'],
  ['£1,234.50', '.', '1234.50'],
  ['1 234,50 €', ',', '1234.50'],
  ['1\u00a0234,5', ',', '1234.5'],
  ["1'234.50", '.', '1234.50'],
  ['(99.50)', '.', '-99.50'],
  ['99.50-', '.', '-99.50'],
  ['−3', '.', '-3'],
  ['GBP 12', '.', '12'],
  ['12 EUR', '.', '12'],
  ['12,34,567.5', '.', '1234567.5'],
  ['.5', '.', '.5'],
  ['1,5', '.', null],
  ['12.34.56', '.', null],
  ['twelve', '.', null],
  ['', '.', null],
] as const)('%j with %s is the number %s', (text, decimal, number) => expect(plainNumber(text, decimal)).toBe(number))

// ISO 8601 calendar dates first; the rest is common practice.
test.each([
  ['2026-03-04', 'mdy', '2026-03-04'],
  ['04/03/2026', 'dmy', '2026-03-04'],
  ['04/03/2026', 'mdy', '2026-04-03'],
  ['4.3.26', 'dmy', '2026-03-04'],
  ['4 March 2026', 'dmy', '2026-03-04'],
  ['Mar 4, 2026', 'dmy', '2026-03-04'],
  ['04-Mar-2026', 'mdy', '2026-03-04'],
  ['2026/3/4', 'dmy', '2026-03-04'],
  ['31/02/2026', 'dmy', null],
  ['13/14/2026', 'dmy', null],
  ['soon', 'dmy', null],
] as const)('%j in the order %s is the day %s', (text, order, day) => expect(plainDay(text, order)).toBe(day))

test.each([
  ['2026-07-01T09:00:00+02:00', '2026-07-01T07:00:00.000Z'],
  ['01/07/2026 09:00', '2026-07-01T08:00:00.000Z'], // summer time in London
  ['01/12/2026 9:00 pm', '2026-12-01T21:00:00.000Z'],
  ['2026-12-01', '2026-12-01T00:00:00.000Z'],
  ['01/12/2026 25:00', null],
])('%j is the moment %s', (text, moment) => expect(plainInstant(text, 'dmy', 'Europe/London')).toBe(moment))

const reading: Reading = {
  ways: { decimal: '.', dates: 'dmy' },
  zone: 'Europe/London',
  find: (table, text) => (text === 'Ann' ? 'several' : text === 'ines@x.example' && table === 'person' ? 7 : text === 'CL-1' && table === 'claims' ? 3 : null),
}
const field = (type: FieldDef['type'], more: Partial<FieldDef> = {}): FieldDef => ({ name: 'f', label: 'F', type, ...more })
const read = (f: FieldDef, raw: Parameters<typeof readCell>[1]) => {
  const told = readCell(f, raw, reading)
  return 'value' in told ? told.value : told.problem.message
}

test.each([
  [field('number'), '1,250', 1250],
  [field('number'), 0.1, 0.1],
  [field('money'), '123456789012345678.25', '123456789012345678.25'],
  [field('yes/no'), 'Ja', true],
  [field('yes/no'), 0, false],
  [field('yes/no'), 'maybe', 'F takes yes or no, not "maybe".'],
  [field('choice', { choices: ['New', 'In review'] }), 'in REVIEW', 'In review'],
  [field('choice', { choices: ['New'] }), 'Old', 'F is one of New; "Old" is not among them.'],
  [field('date'), { wall: new Date('2026-02-03T00:00:00Z') }, '2026-02-03'],
  [field('date'), '03/02/2026 00:00:00', '2026-02-03'],
  [field('date-time'), { wall: new Date('2026-07-03T09:30:00Z') }, '2026-07-03T08:30:00.000Z'],
  [field('person'), 'ines@x.example', 7],
  [field('person'), 'Ann', 'F: "Ann" may be several; give the e-mail.'],
  [field('person'), 'Nobody', 'F: there is no person called "Nobody".'],
  [field('link', { table: 'claims' }), 'CL-1', 3],
  [field('text'), 42, '42'],
  [field('text'), "'=1+1", '=1+1'],
  [field('text'), '  ', null],
] as const)('%j reads %j as %j', (f, raw, value) => expect(read(f, raw)).toBe(value))

// Source: OWASP, "CSV Injection": a field that begins with = + - @ tab or carriage return.
test.each(['=1+1', '+1', '-1', '@x', '\tx', '\rx'])('%j is guarded, and read as it was', (text) => {
  expect(guarded(text)).toBe(`'${text}`)
  expect(unguarded(guarded(text))).toBe(text)
})
test.each(['plain', "'quoted'", "O'Hara"])('%j is left as it is', (text) => expect([guarded(text), unguarded(text)]).toEqual([text, text]))

test('headings are matched by label or name, whatever their case, accents and signs; each field once', () => {
  const table = {
    name: 't',
    label: 'T',
    singular: 't',
    titleField: 'a',
    fields: [field('text', { name: 'first_name', label: 'First name' }), field('number', { name: 'preco', label: 'Preço' }), field('file', { name: 'scan', label: 'Scan' })],
  }
  expect(matchColumns(['FIRST-NAME', 'preco', 'First name', 'Scan', '', 'ID', 'else'], table)).toEqual(['first_name', 'preco', null, null, null, 'id', null])
  expect(plainName(' Préço (€) ')).toBe('preco')
})
