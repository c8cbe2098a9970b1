import { Liquid } from 'liquidjs'
import { readWhen, type When, whenOpsFor, writeWhen } from './when'

test.each<[string, When]>([
  ['if claim.owner', { path: 'claim.owner', op: 'filled', values: [] }],
  ['unless claim.owner', { path: 'claim.owner', op: 'blank', values: [] }],
  ['if claim.status == "In review"', { path: 'claim.status', op: 'is', values: ['In review'] }],
  ['if claim.status == "a or b" or claim.status == "c"', { path: 'claim.status', op: 'is one of', values: ['a or b', 'c'] }],
  ['if claim.amount > 500', { path: 'claim.amount', op: 'more than', values: ['500'] }],
  ['if claim.amount >= -1.5 and claim.amount <= 20', { path: 'claim.amount', op: 'between', values: ['-1.5', '20'] }],
  ['if claim.note contains "and more"', { path: 'claim.note', op: 'contains', values: ['and more'] }],
  ['if before.status != claim.status', { path: 'claim.status', op: 'differs from before', values: [] }],
])('%s is read and written the same', (text, when) => {
  expect(readWhen(text)).toEqual(when)
  expect(writeWhen(when)).toBe(text)
})

test.each(['if claim.a and claim.b', 'if claim.a == claim.b', 'if claim.a == "x" or claim.b == "y"', 'unless claim.a == 1', 'case x', ''])(
  '%s is more than one comparison',
  (text) => expect(readWhen(text)).toBeNull(),
)

test('whatever is typed as a value, the condition stays one that the engine reads', () => {
  const engine = new Liquid()
  for (const value of ['a"b', '%}', '{{ x }}', '', 'x\ny', '" or true', '500'])
    for (const op of whenOpsFor('text', true)) {
      const written = writeWhen({ path: 'claim.note', op, values: [value, value] }, 'text')
      expect([written, readWhen(written)?.op]).toEqual([written, op])
      expect(() => engine.parse(`{% ${written} %}x{% endif %}`.replace(/^\{% unless(.*)endif/, '{% unless$1endunless'))).not.toThrow()
    }
})
