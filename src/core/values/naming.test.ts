import { chained, itsOwn, possessive, spokenPath, withArticle } from './naming'

test.each([
  ['claim', 'a claim'],
  ['item', 'an item'],
  ['enquiry', 'an enquiry'],
  ['hour', 'an hour'],
  ['unit', 'a unit'],
  ['unicorn', 'a unicorn'],
  ['unnamed thing', 'an unnamed thing'],
  ['user', 'a user'],
  ['one-off', 'a one-off'],
  ['Ärztin', 'a Ärztin'],
])('%s with its article is %s', (noun, words) => expect(withArticle(noun)).toBe(words))

test.each([
  ['Ann', 'Ann’s'],
  ['Directors', 'Directors’'],
  ['James', 'James’'],
  ['UPS', 'UPS’'],
])('what is of %s is %s', (name, words) => expect(possessive(name)).toBe(words))

test.each([
  [['owner'], 'owner'],
  [['owner', 'manager', 'email'], 'owner’s manager’s email'],
  [['bookings', 'passenger'], 'bookings’ passenger'],
])('%j lead to %s', (names, words) => expect(chained(names)).toBe(words))

test('a path without labels', () => expect(spokenPath('duty_officer.first_name')).toBe('duty officer’s first name'))

test.each([
  ['owner', true, 'its owner'],
  ['added by', true, 'whoever it was added by'],
  ['found by', true, 'whoever it was found by'],
  ['fix by', false, 'its fix by'],
] as const)('%s (a person: %s) of the record is %s', (label, isPerson, words) => expect(itsOwn(label, isPerson)).toBe(words))
