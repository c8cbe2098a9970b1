import fc from 'fast-check'
import { isBlank } from '@/core/values/compare'
import type { FieldDef, Image } from '@/core/values/tables'
import { freeTitle } from '../documents/adding'
import { addressOf, viewOf } from './address'
import { copiedCells, pastedCells, pastedLines } from './clipboard'
import { columnsOf, pressedOrder } from './columns'
import { Lines } from './lines'
import { cellsIn, isWithin, rangeOf } from './range'

test('lines: each group’s head stands before its records, and every record is found on its line', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 5 }), { maxLength: 12 }), (counts) => {
      const groups = counts.map((count, i) => ({ value: i, count }))
      const rows = counts.reduce((a, b) => a + b, 0)
      const model = groups.flatMap((group, g) => [`head ${g}`, ...Array.from({ length: group.count }, () => 'row')])
      const lines = new Lines(groups, rows)
      let row = 0
      const said = Array.from({ length: lines.count }, (_, line) => {
        const at = lines.at(line)
        if (at.row === null) return `head ${String(at.group.value)}`
        expect([at.row, lines.lineOf(at.row)]).toEqual([row++, line])
        return 'row'
      })
      expect(said).toEqual(model)
    }),
  )
  expect(new Lines(null, 3).at(2)).toEqual({ group: null, row: 2 })
})

test.each([
  [undefined, 'a', false, 'a'],
  ['a', 'a', false, '-a'],
  ['-a', 'a', false, undefined],
  ['a', 'b', false, 'b'],
  ['a', 'b', true, 'a,b'],
  ['a,b', 'a', true, '-a,b'],
  ['-a,b', 'a', true, 'b'],
])('the order %j, %s pressed (with Shift: %s), is %j', (order, name, keepOthers, next) => {
  expect(pressedOrder(order, name, keepOthers)).toBe(next)
})

const field = (name: string, type: FieldDef['type'] = 'text'): FieldDef => ({ name, label: name, type })
const TABLE = { name: 't', label: 'T', singular: 't', titleField: 'b', fields: [field('a'), field('b'), field('c', 'money')] }
const ORGANISATION = { name: '', locale: 'en-GB', zone: 'UTC', currency: 'GBP' }

test('columns: the title first, those of the view in its order, the first few in sight, widths as they were drawn', () => {
  expect(columnsOf(TABLE, {}).map((c) => [c.field.name, c.left])).toEqual([
    ['b', 30],
    ['a', null],
    ['c', null],
  ])
  const shown = columnsOf(TABLE, { columns: ['c', 'gone'], frozen: 2, widths: { b: 50 } })
  expect(shown.map((c) => [c.field.name, c.width, c.left])).toEqual([
    ['b', 50, 30],
    ['c', 124, 80],
  ])
})

test('a view and its address say the same', () => {
  const view = { where: { field: 'a', op: 'is' as const, value: 'ä&b' }, order: 'a,-c', group: 'b', columns: ['a', 'c'], frozen: 0 }
  const query = Object.fromEntries(new URLSearchParams(addressOf(view, null)))
  expect(viewOf(query, JSON.parse(query.where as string))).toEqual(view)
  expect([addressOf({}, null), addressOf(view, 'Mine & yours')]).toEqual(['', '?view=Mine+%26+yours'])
})

test('cells come back from the clipboard as they went, whatever is in them', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.string(), fc.string()), { minLength: 1, maxLength: 5 }), (rows) => {
      const plain = rows.map(([a, b]) => [a.replaceAll('\r', ''), b.replaceAll('\r', '')] as const).filter(([a, b]) => a + b !== '')
      if (plain.length === 0) return
      const records = plain.map(([a, b], id): Image => ({ id, a, b }))
      const cells = plain.map((row) => row.map((text) => (isBlank(text) ? '' : text))) // a text of spaces alone is blank, and is copied as one
      expect(pastedCells(copiedCells(records, [field('a'), field('b')], {}, ORGANISATION))).toEqual(cells)
    }),
    { examples: [[[[' ', '']]], [[['', ' \t\n']]]] },
  )
  const records: Image[] = [{ id: 1 }, { id: 2 }]
  expect(pastedLines([['x']], records, [field('a')]).lines).toBe('{"id":1,"a":"x"}\n{"id":2,"a":"x"}')
  expect(pastedLines([['x', 'y'], ['z']], records, [field('a'), field('b')]).lines).toBe('{"id":1,"a":"x","b":"y"}\n{"id":2,"a":"z","b":""}')
})

test('ranges of cells, whichever end they were drawn from', () => {
  const range = rangeOf({ row: 3, column: 2 }, { row: 1, column: 4 })
  expect([cellsIn(range), isWithin(range, 2, 3), isWithin(range, 0, 3), isWithin(range, 1, 5)]).toEqual([9, true, false, false])
})

test.each([
  ['Plan.pdf', [], 'Plan.pdf'],
  ['Plan.pdf', ['plan.PDF'], 'Plan (2).pdf'],
  ['Plan.pdf', ['plan.pdf', 'plan (2).pdf'], 'Plan (3).pdf'],
  ['.env', ['.env'], '.env (2)'],
  ['Plan', ['plan'], 'Plan (2)'],
])('%s beside %j is %s', (name, taken, free) => {
  expect(freeTitle(name, new Set(taken.map((t) => t.toLowerCase())))).toBe(free)
})
