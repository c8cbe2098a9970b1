import { sqlName } from './catalog'
import { labelOf, listOf, proposedName } from './describe'
import { movesOf, newsOf } from './follow'

test.each([
  ["CHECK ((value = ANY (ARRAY['A'::text, 'B'::text])))", ['A', 'B']],
  ["CHECK (((\"Terms\")::text = ANY ((ARRAY['net 14'::character varying, 'it''s ] fine'::character varying])::text[])))", ['net 14', 'it’s ] fine'.replace('’', "'")]],
  ["CHECK ((a = ANY (ARRAY[('x'::character varying)::text, ('y'::character varying)::text])))", ['x', 'y']],
  ["CHECK (((a = ANY (ARRAY['x'::text])) AND (length(b) > 3)))", null],
  ["CHECK ((NOT (a = ANY (ARRAY['x'::text]))))", null],
  ["CHECK ((lower(a) = ANY (ARRAY['x'::text])))", null],
  ['CHECK ((a = ANY (ARRAY[1, 2])))', null],
  ["CHECK ((a <> ALL (ARRAY['x'::text])))", null],
  ["CHECK ((a = 'x'::text))", null],
])('%s lets in %j', (check, list) => {
  expect(listOf(check)).toEqual(list)
})

test.each([
  ['OrderDate', 'Order date'.replace('date', 'Date'), 'order_date'],
  ['customer_id', 'Customer id', 'customer_id'],
  ['HTTPStatus', 'HTTP Status', 'http_status'],
  ['CUSTOMERS', 'Customers', 'customers'],
  ['Line 2', 'Line 2', 'line_2'],
  ['数量', '数量', 'table'],
])('%s is labelled %s and called %s', (name, label, called) => {
  expect([labelOf(name), proposedName(name)]).toEqual([label, called])
})

test('names are quoted where SQL wants it', () => {
  expect([sqlName('sales', 'orders'), sqlName('Old Stock', 'a"b')]).toEqual(['sales.orders', '"Old Stock"."a""b"'])
})

const column = (name: string, attnum: number, type: string | null = 'text') => ({
  name,
  attnum,
  type,
  seen: type && `‹r›.${name}`,
  plain: 'text',
  required: false,
  isReadOnly: false,
  labels: null,
  checks: [],
})
const field = (name: string, attnum: number, attname = name) => ({ field: name, attnum, attname, seen: `‹r›.${attname}`, type: 'text', isReadOnly: false })

test('a column is known by its number, and by its name where it was made anew; two that change places keep their fields', () => {
  const fields = [field('id', 1), field('a', 2), field('b', 3), field('c', 4), field('d', 5)]
  const now = {
    columns: [column('id', 1), column('b', 2), column('a', 3), column('c', 9), column('e', 10), column('f', 5, null)],
  }
  const moved = movesOf(fields, now, true)
  const told = (moves: typeof moved) => moves.kept.map((k) => `${k.field.field} is ${k.field.attname} ${k.field.attnum}`)
  expect(told(moved)).toEqual(['id is id 1', 'a is b 2', 'b is a 3', 'c is c 9'])
  expect(told(movesOf(fields, now, false))).toEqual(['id is id 1', 'a is a 3', 'b is b 2', 'c is c 9']) // restored, it is another table with the same names
  expect([moved.added.map((c) => c.name), moved.gone.map((f) => f.field)]).toEqual([['e'], ['d']])
  expect(newsOf(moved, new Map([['d', ['Late']]])).slice(2)).toEqual([
    'Its owner dropped the column d: the field d is gone. Paused, because they speak of it: Late. Take the field out of them, and send them live again.',
    'Its owner added the column e: it is a field now.',
  ])
})
