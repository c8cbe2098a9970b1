import type { Ask } from '../document/document'
import { readAnswers } from './answers'

const PEOPLE = new Map([['ines@office.example', 1]])
const question = (type: Ask['type'], more: Partial<Ask> = {}): Ask => ({ name: 'q', label: 'Question', type, ...more })
const read = (type: Ask['type'], given: unknown, more: Partial<Ask> = {}) => {
  const answers = readAnswers([question(type, more)], given === undefined ? {} : { q: given }, PEOPLE)
  return 'problems' in answers ? answers.problems[0]?.message : answers.asked.q
}

test.each<[Ask['type'], unknown, unknown]>([
  ['text', ' as it is ', 'as it is'],
  ['long text', 'two\nlines', 'two\nlines'],
  ['number', '12.50', 12.5],
  ['money', 3, 3],
  ['yes/no', false, false],
  ['choice', 'A', 'A'],
  ['date', '2026-12-24', '2026-12-24'],
  ['date-time', '2026-12-24T09:00:00+01:00', '2026-12-24T08:00:00.000Z'],
  ['person', 'Ines@Office.example', 1],
  ['person', 1, 1],
  ['text', '', null],
  ['text', undefined, null],
  // RFC 5322, 3.4: an address list; semicolons and line ends between are common practice
  ['addresses', 'a@x.example; "Jo, Q" <jo@x.example>\nb@x.example', 'a@x.example, jo@x.example, b@x.example'],
  ['addresses', ['a@x.example', 'b@x.example'], 'a@x.example, b@x.example'],
])('%s takes %j', (type, given, value) => {
  expect(read(type, given, { choices: ['A', 'B'] })).toEqual(value)
})

test.each<[Ask['type'], unknown, RegExp]>([
  ['number', 'many', /takes a number/],
  ['yes/no', 'perhaps', /true or false/],
  ['choice', 'C', /one of A, B/],
  ['date', '30 February', /takes a date/],
  ['person', 'nobody@x.example', /nobody here/],
  ['person', 99, /nobody here/],
  ['addresses', 'a@x.example, b@', /“b@” is not an e-mail address/],
  ['addresses', 12, /takes e-mail addresses/],
  ['text', 'x'.repeat(70_000), /at most 65536/],
  ['addresses', Array.from({ length: 10_000 }, (_, i) => `p${i}@x.example`).join(','), /at most 200/],
  ['addresses', Array.from({ length: 250 }, (_, i) => `p${i}@x.example`).join(','), /names 250 addresses; at most 200/],
])('%s refuses %j and says how to mend it', (type, given, message) => {
  expect(read(type, given, { choices: ['A', 'B'] })).toMatch(message)
})

test('what must be answered, and what nobody asked, is said with its place', () => {
  expect(readAnswers([question('text', { required: true })], { other: 1 }, PEOPLE)).toEqual({
    problems: [
      { code: 'unknown question', path: '/asked/other', message: 'No question is called "other".' },
      { code: 'required', path: '/asked/q', message: 'Question must be answered.' },
    ],
  })
  expect(readAnswers([question('addresses', { required: true })], { q: ' , ; ' }, PEOPLE)).toMatchObject({ problems: [{ code: 'required' }] })
})

test('a default answers what is left out; blank and doubled addresses are dropped with a note', () => {
  expect(readAnswers([question('text', { default: 'so' })], {}, PEOPLE)).toEqual({ asked: { q: 'so' }, notes: [] })
  expect(readAnswers([question('addresses')], { q: 'a@x.example,, A@X.example' }, PEOPLE)).toEqual({
    asked: { q: 'a@x.example' },
    notes: ['Question: A@X.example stands there twice and is kept once.', 'Question: blank entries were left out.'],
  })
})

test.each([null, 'text', 12, [], { __proto__: { q: 'x' } }])('answers that are no answers: %j', (given) => {
  expect(readAnswers([question('text')], given, PEOPLE)).toEqual({ asked: { q: null }, notes: [] })
})
