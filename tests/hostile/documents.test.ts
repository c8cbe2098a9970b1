import { DOCUMENT_LIMITS, isNestedTooDeep } from '@/core/document/bounds'
import { importWorkflow } from '@/core/document/exchange'
import { readCondition, readWorkflow } from '@/core/document/schema'
import { imagesIn, replaceImages } from '@/core/message/images'
import { newClaimWorkflow } from '../support/claims'

const clause = { field: 'amount', op: 'is', value: 1 }
const email = { name: 'tell', do: 'email', to: [{ address: 'a@example.org' }], subject: 's', body: 'b' }
const repeated = <T>(n: number, entry: T) => new Array<T>(n).fill(entry)

/** A condition nested so deep. */
function nested(depth: number): unknown {
  let condition: unknown = clause
  for (let i = 0; i < depth; i++) condition = { all: [condition] }
  return condition
}

const problemOf = (parts: object) => {
  const read = readWorkflow({ ...newClaimWorkflow(), ...parts })
  return 'problems' in read ? read.problems[0] : 'read'
}

test.each([
  ['30,000 clauses', { conditions: { all: repeated(30_000, clause) } }, '/conditions/all', /30000 entries; at most 2000/],
  ['201 clauses', { conditions: { any: repeated(DOCUMENT_LIMITS.clauses + 1, clause) } }, /^\/conditions\/any/, /more than 200 clauses/],
  ['8,000 emails', { actions: repeated(8_000, email) }, '/actions', /8000 entries/],
  ['101 actions', { actions: repeated(DOCUMENT_LIMITS.actions + 1, email) }, /^\/actions/, /more than 100 actions/],
  ['an action by a name that objects have of themselves', { actions: [{ ...email, do: 'constructor' }] }, '/actions/0/do', /must be one of/],
  ['101 recipients', { actions: [{ ...email, to: repeated(101, { address: 'a@example.org' }) }] }, '/actions/0/to', /101 recipients; at most 100/],
  ['a long text', { actions: [{ ...email, body: 'x'.repeat(65_537) }] }, '/actions/0/body', /65537 characters; at most 65536/],
  ['many long texts', { actions: repeated(20, { ...email, body: 'x'.repeat(60_000) }) }, /^\/actions/, /more than 1000000 characters/],
  ['many long formulas', { values: repeated(20, { name: 'v', formula: `1${' + 1'.repeat(400)}` }) }, /^\/values/, /formulas have more than 20000 characters/],
  ['51 things brought in', { bringIn: repeated(51, { name: 'a', link: 'owner' }) }, '/bringIn', /51 things brought in; at most 50/],
  ['a long list of values', { conditions: { ...clause, op: 'is one of', value: repeated(2_001, 1) } }, '/conditions/value', /2001 entries/],
  ['conditions 13 deep', { conditions: nested(13) }, /^\/conditions/, /nested deeper than 12/],
  ['conditions 100,000 deep', { conditions: nested(100_000) }, '', /nested deeper than 100/],
])('%s are refused at their place', (_, parts, path, message) => {
  expect(problemOf(parts)).toEqual({ path: expect.stringMatching(path), message: expect.stringMatching(message) })
})

test('what is within the limits is read', () => {
  expect(problemOf({ conditions: { all: repeated(100, clause) }, actions: repeated(100, email) })).toBe('read')
  expect(problemOf({ conditions: nested(12) })).toBe('read')
})

test('a filter is held to the same limits', () => expect(readCondition(nested(5_000))).toEqual({ problems: [{ path: '', message: 'The document is nested deeper than 100.' }] }))

test.each([
  ['brackets', '['.repeat(2_000)],
  ['braces', '{a: '.repeat(2_000)],
  ['entries on one line', '- '.repeat(2_000)],
  ['indentation', Array.from({ length: 400 }, (_, i) => `${' '.repeat(i)}a:`).join('\n')],
  ['JSON', `${'['.repeat(20_000)}${']'.repeat(20_000)}`],
])('YAML of %s in one another is refused in words', (_, text) => {
  expect(importWorkflow(text)).toEqual({ problems: [{ path: '', message: 'The document is nested deeper than 100.' }] })
})

test('YAML that repeats itself by reference is refused in words', () => {
  const text = `a: &a [x, x]\n${'bcdefghijk'
    .split('')
    .map((name, i) => `${name}: &${name} [${repeated(9, `*${'abcdefghijk'[i]}`).join(', ')}]`)
    .join('\n')}`
  expect(importWorkflow(text)).toEqual({ problems: [expect.objectContaining({ message: expect.stringMatching(/alias/i) })] })
})

test('JSON is told too deep by its brackets alone, not by those in strings', () => {
  expect(isNestedTooDeep(`${'['.repeat(101)}${']'.repeat(101)}`)).toBe(true)
  expect(isNestedTooDeep(`[${JSON.stringify('[{"'.repeat(500))}, ${'[],'.repeat(500)}0]`)).toBe(false)
})

test('images are found in one pass', () => {
  const half = '<img src="cid:'.repeat(50_000)
  expect(imagesIn(half)).toEqual([])
  expect(imagesIn(`<img ${'src '.repeat(100_000)}`)).toEqual([])
  expect(imagesIn(`${'<img '.repeat(100_000)}>`)).toEqual([])
  expect(imagesIn(`<IMG alt="src" data-src="cid:no" src = 'cid:a.png'><img src="https://x.example/cid:b"><image src="cid:c">`)).toEqual(['a.png'])
  const many = Array.from({ length: 20_000 }, (_, i) => `<img src="cid:${i}">`).join('')
  expect(replaceImages(many, () => 'x')).toBe('<img src="cid:x">'.repeat(20_000))
})
