import { compileFormula, formulaProblem } from '@/core/formula/formula'
import { CLAIMS } from '../support/claims'
import { claimChange, lookups, SCHEMA } from '../support/core'

const LIST = Array.from({ length: 2_000 }, (_, i) => i)

function worked(formula: string, note = ''): unknown {
  const change = claimChange('created', null, { amount: 10, note })
  const roots: [string, { kind: 'value'; value: unknown }][] = [['list', { kind: 'value', value: LIST }]]
  return compileFormula(formula)({ schema: SCHEMA, lookups: lookups(), table: CLAIMS, own: change.after ?? {}, before: null, roots, change, zone: 'Europe/London' })
}

const doubling = (of: string) =>
  `{a: ${of}, ${'bcdefghijklmnopqrstuvwxyz'.split('').map((name, i) => `${name}: concatenate(${'abcdefghijklmnopqrstuvwxyz'[i]}, ${'abcdefghijklmnopqrstuvwxyz'[i]})`)}}`
const joining = `{a: note, ${'bcdefghijklmnopqrstuvwxyz'.split('').map((name, i) => `${name}: ${'abcdefghijklmnopqrstuvwxyz'[i]} + ${'abcdefghijklmnopqrstuvwxyz'[i]}`)}}`
const nesting = `{a: [1, 1], ${'bcdefghijklmnopqrstuvwxyz'.split('').map((name, i) => `${name}: [${'abcdefghijklmnopqrstuvwxyz'[i]}, ${'abcdefghijklmnopqrstuvwxyz'[i]}]`)}}`

test.each([
  ['a list that doubles', `count(${doubling('[1, 2, 3, 4]')}.z)`],
  ['a text that doubles', `string length(${joining}.z)`],
  ['a list of lists that is flattened', `count(flatten(${nesting}.z))`],
  ['a list of lists that is printed', `string length(string(${nesting}.z))`],
  ['lists of lists that are compared', `${nesting}.z = ${nesting}.z`],
  ['loops in one another over lists', 'for a in list, b in list, c in list return a + b + c'],
  ['loops in loops', 'for a in list return for b in list return for c in list return 1'],
  ['a filter in a filter in a filter', 'list[count(list[count(list[item > 1]) > 1]) > 1]'],
  ['a sort that goes through a list each time', 'sort(list, function(x, y) count(list[item > x]) > y)'],
  ['distinct lists', 'count(distinct values(for a in list return [a, [a]]))'],
  ['a function that calls itself', '{f: function(n) if n = 0 then 0 else f(n - 1) + f(n - 1), r: f(60)}.r'],
  ['a text of many joins', 'string join(for a in list return note, note)'],
  ['a pattern of many repetitions', 'matches(note, "(x.{0,900}){1,900}y")'],
])('%s ends with a sentence', (_, formula) => {
  expect(formulaProblem(formula)).toBeNull()
  expect(() => worked(formula, 'x'.repeat(5_000))).toThrow(/does more work than is allowed|too deep/)
})

test.each([
  ['matches(note, "^(a+)+$")', false],
  ['matches(note, "(a|a)*b")', false],
  ['replace(note, "(a*)*c", "")', `${'a'.repeat(5_000)}!`],
  ['count(split(note, "(a+)+b"))', 1],
  ['matches(note, "(?=a)")', null],
  ['matches(note, "(a)\\\\1")', null],
])('%s takes time in proportion to the text', (formula, expected) => {
  expect(worked(formula, `${'a'.repeat(5_000)}!`)).toEqual(expected)
})

test('checking a formula does not work it out', () => {
  expect(formulaProblem(`count(${doubling('[1, 2, 3, 4]')}.z)`)).toBeNull()
  expect(formulaProblem('for a in [1, 2], b in list, c in list, d in list return a')).toBeNull()
})

test.each([
  ['brackets', `${'('.repeat(900)}1${')'.repeat(900)}`],
  ['lists', '['.repeat(1_900)],
  ['contexts', `${'{a: '.repeat(300)}1${'}'.repeat(300)}`],
  ['paths', `amount${'.x'.repeat(900)}`],
  ['signs', `${'-'.repeat(1_900)}1`],
])('%s in one another are refused in words', (_, formula) => expect(formulaProblem(formula)).toMatch(/^The formula's parts stand in one another more than 120 deep\./))

test('nothing of the language around is reached', () => {
  for (const formula of [
    '{}.constructor',
    'note.length',
    'sum.fn',
    '(function(x) x).fn',
    '{__proto__: 1}.__proto__',
    'date("2026-01-01").constructor',
    '"".toString',
    'duration("P1D").valueOf',
  ])
    expect({ formula, value: worked(formula, 'x') }).toEqual({ formula, value: null })
})
