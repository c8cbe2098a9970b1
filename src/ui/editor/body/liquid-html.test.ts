import { everyAction } from '@/core/workflow/uses'
import { TEMPLATES } from '@/demo/templates'
import { WORKFLOWS } from '@/demo/workflows'
import { fromEditable, liquidWords, readPlaceholder, settled, toEditable, writePlaceholder } from './liquid-html'

test.each([
  '<p>Dear {{ claim.owner.first_name | default: "colleague" }},</p>',
  '<p>{% if a %}<b>x</b>{% endif %} &amp; {{ b }}</p>',
  '<p><a href="{{ link }}">open</a></p>',
  "<p>{{ a | default: 'x > y' }} &lt; {% assign c = '<' %}</p>",
  '<ul>{% for g in guests %}<li>{{ g.name }}</li>{% endfor %}</ul>',
  '<table><tr><th>Who</th></tr>{% for b in bookings %}<tr><td>{{ b.passenger }}</td></tr>{% endfor %}</table>',
  '<p>a</p>{% if claim.owner %}<p>b {% if x %}c{% endif %}</p>{% endif %}',
  '<ul>{% for g in guests %}{% unless g.left %}<li>{{ g.name }}<ul><li>in</li></ul></li>{% endunless %}{% endfor %}</ul>',
  '{% if a %}<p>one</p><p>two</p>{% endif %}',
  '{% if a == "x > y" %}<h2 style="color:red">b</h2>{% endif %}',
  '{% for b in bookings limit: 3 %}<tr><td>x</td></tr>{% endfor %}',
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

test('Liquid around one whole block becomes an attribute of it; around more it stays Liquid', () => {
  expect(toEditable('{% for b in bookings %}<tr><td>x</td></tr>{% endfor %}')).toBe('<tr data-each="b in bookings"><td>x</td></tr>')
  expect(toEditable('{% if a == "b" %}\n<p>x</p>\n{% endif %}')).toBe('<p data-when="if a == &quot;b&quot;">x</p>')
  expect(toEditable('{% for g in guests %}{% if g.name %}<li>x</li>{% endif %}{% endfor %}')).toBe('<li data-when="if g.name" data-each="g in guests">x</li>')
  for (const body of ['{% if a %}<p>x</p><p>y</p>{% endif %}', '{% if a %}<p>x</p>{% else %}<p>y</p>{% endif %}', '{% for b in bookings reversed %}<li>x</li>{% endfor %}'])
    expect(toEditable(body)).toMatch(/^<span data-liquid=/)
})

test('what the editor adds of its own does not come into the body', () => {
  expect(fromEditable('<table><tbody><tr><th colspan="1" rowspan="1"><p>A</p></th></tr></tbody></table>')).toBe('<table><tbody><tr><th>A</th></tr></tbody></table>')
  expect(fromEditable('<ul><li><p>a</p><p>b</p></li></ul>')).toBe('<ul><li><p>a</p><p>b</p></li></ul>')
})

test('a condition with signs that would end a tag stands in the editor and comes back as it was', () => {
  const body = '<ul>{% if claim.amount >= 3 and claim.amount <= 9 %}<li>a</li>{% endif %}</ul><p>{% if claim.note contains "x > y" %}b{% endif %}</p>'
  expect(toEditable(body)).toContain('<li data-when="if claim.amount \ue002= 3 and claim.amount \ue003= 9">')
  expect(fromEditable(toEditable(body))).toBe(body)
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
