import { beginsInOrder } from './begins'

test.each([
  ['email its owner', 'em own', true],
  ['email its owner', 'owner email', false],
  ['email its owner', 'mail', false],
  ['condition on passenger’s name', 'cond pass na', true],
  ['bring in bookings of the sailing', 'bookings', true],
  ['Ärger melden', 'är', true],
  ['email its owner', '', true],
  ['status is In review', 'in rev', true],
  ['task', 'task for', false],
])('“%s” for “%s”: %s', (text, typed, is) => expect(beginsInOrder(text, typed)).toBe(is))
