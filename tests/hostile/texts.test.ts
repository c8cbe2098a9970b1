import { parseTemplate } from '@/core/message/liquid'
import { compileMessage, createEngines, fill, renderMessage } from '@/core/message/render'
import { Budget, TakesLong } from '@/core/values/budget'
import { ORGANISATION } from '../support/core'

const engines = createEngines(ORGANISATION)

function filled(text: string, budget?: Budget): string {
  const parsed = parseTemplate(engines.html, text)
  if ('problem' in parsed) throw new Error(parsed.problem.message)
  return fill(engines.html, parsed.templates, { list: Array.from({ length: 1_000 }, (_, i) => i), note: 'x'.repeat(10_000) }, budget)
}

const ten = (body: string) => `{% for i in (1..1000) %}${body}{% endfor %}`

test.each([
  ['a long range', '{% for i in (1..100000000) %}{{ i }}{% endfor %}'],
  ['loops in one another', ten(ten(ten('x')))],
  ['loops that print nothing', ten(ten(ten('{% if i == 0 %}x{% endif %}')))],
  ['a fixed text repeated', ten(ten('x'.repeat(1_000)))],
  ['a text captured twice as long each time', `{% assign s = note %}${'{% capture s %}{{ s }}{{ s }}{% endcapture %}'.repeat(40)}`],
  ['a fixed text captured', `{% capture s %}${ten(ten('x'.repeat(100)))}{% endcapture %}`],
  ['a text appended to itself', `{% assign s = note %}${'{% assign s = s | append: s %}'.repeat(40)}`],
  ['a letter replaced by a text', `{{ note | replace: 'x', note | replace: 'x', note }}`],
  ['a date with a wide field', "{{ '2026-03-01' | date: '%90000000d' }}"],
  ['sums of lists', `{% assign l = list %}${'{% assign l = l | concat: l %}'.repeat(40)}`],
  ['a list searched for each of its entries', "{% for a in list %}{% for b in list %}{{ list | where_exp: 'c', 'c > 5' | size }}{% endfor %}{% endfor %}"],
])('%s ends with a sentence', (_, text) => expect(() => filled(text)).toThrow(/^The text (builds more than 20 MB of values|does more work than is allowed)/))

test('many texts of one run are charged to the run', () => {
  const budget = new Budget(20_000, 'The run')
  const text = ten('x')
  expect(() => {
    for (let i = 0; i < 1_000; i++) filled(text, budget)
  }).toThrow('The run does more work than is allowed (20,000 steps). Make its lists and loops shorter.')
})

test('a text that is ended since time is up says so, not that it is at fault', () => {
  const message = compileMessage({ subject: 'S', body: ten(ten('x')), format: 'rich' }, engines)
  expect(() => renderMessage(message, {}, new Budget(1e9, 'The run', () => true))).toThrow(TakesLong)
  expect(() => filled('{{ note }}', new Budget(10, 'The run'))).toThrow('The run does more work than is allowed (10 steps). Make its lists and loops shorter.')
})

test('tags in one another by the thousand are refused or filled, in words', () => {
  const deep = (n: number) => `${'{% if true %}'.repeat(n)}x${'{% endif %}'.repeat(n)}`
  expect(filled(deep(50))).toBe('x')
  expect(() => filled(deep(5_000))).toThrow(/deep/)
})
