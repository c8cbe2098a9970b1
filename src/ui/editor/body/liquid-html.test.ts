import { everyAction } from '@/core/workflow/uses'
import { TEMPLATES, WORKFLOWS } from '@/demo/workflows'
import { fromEditable, liquidWords, readPlaceholder, settled, toEditable, writePlaceholder } from './liquid-html'

test.each([
  '<p>Dear {{ claim.owner.first_name | default: "colleague" }},</p>',
  '<p>{% if a %}<b>x</b>{% endif %} &amp; {{ b }}</p>',
  '<p><a href="{{ link }}">open</a></p>',
  "<p>{{ a | default: 'x > y' }} &lt; {% assign c = '<' %}</p>",
  '<ul>{% for g in guests %}<li>{{ g.name }}</li>{% endfor %}</ul>',
  '<p>plain</p>',
  '',
])('Liquid goes to the editor and comes back as it was: %s', (body) => {
  expect(fromEditable(toEditable(body))).toBe(body)
})

test('every body of the demo comes back as it was', () => {
  const bodies = [...TEMPLATES.map((t) => t.body), ...WORKFLOWS.flatMap((w) => everyAction(w.workflow.actions).flatMap((a) => (a.do === 'email' ? [a.body ?? ''] : [])))]
  expect(bodies.length).toBeGreaterThan(8)
  for (const body of bodies) expect(fromEditable(toEditable(body))).toBe(body)
})

test('placeholders are taken apart and put together', () => {
  expect(readPlaceholder('{{ claim.owner.name }}')).toEqual({ path: 'claim.owner.name', otherwise: null })
  expect(readPlaceholder('{{claim.due | default: "soon"}}')).toEqual({ path: 'claim.due', otherwise: 'soon' })
  expect(readPlaceholder('{{ claim.due | date: "%Y" }}')).toBeNull()
  for (const p of [
    { path: 'a.b', otherwise: null },
    { path: 'a', otherwise: 'nobody yet' },
  ])
    expect(readPlaceholder(writePlaceholder(p))).toEqual(p)
  expect(writePlaceholder({ path: 'a', otherwise: 'say "x"' })).toBe(`{{ a | default: 'say "x"' }}`)
})

test('Liquid in words', () => {
  expect(liquidWords('{{ claim.due_on | default: "soon" }}')).toBe('claim › due on, or “soon”')
  expect(liquidWords('{% if claim.owner %}')).toBe('if claim.owner')
  expect(liquidWords('{{ a | upcase }}')).toBe('a | upcase')
})

test('white space between blocks makes no difference', () => {
  expect(settled('<p>a</p>\n  <p>b<br/></p>\n')).toBe('<p>a</p><p>b<br></p>')
})
