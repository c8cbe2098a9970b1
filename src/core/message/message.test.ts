import { CLAIMS } from '../../../tests/support/claims'
import { lookups, ORGANISATION, SCHEMA } from '../../../tests/support/core'
import type { Image } from '../values/tables'
import { createLiquid, parseTemplate, TEMPLATE_LIMITS, templatePaths } from './liquid'
import { compileMessage, createEngines, renderMessage } from './render'
import { htmlToText, oneLine, textToHtml } from './text'
import { RecordValue } from './values'

const engines = createEngines(ORGANISATION)
const record = (image: Image) => ({ claim: new RecordValue(CLAIMS, image, { schema: SCHEMA, organisation: ORGANISATION, lookups: lookups() }) })
const plain = (body: string, image: Image) => renderMessage(compileMessage({ subject: 'S', body, format: 'plain' }, engines), record(image)).text
const rich = (body: string, image: Image) => renderMessage(compileMessage({ subject: 'S', body, format: 'rich' }, engines), record(image))

test.each([
  ['{{ claim.amount }}', 1234.5, '£1,234.50'],
  ['{{ claim.amount | number }}', 1234.5, '1,234.5'],
  ['{% if claim.amount > 1000 %}large{% endif %}', 1234.5, 'large'],
  ['{{ claim.amount | plus: 1 }}', 2, '3'],
  ['{{ claim.amount | default: "none" }}', null, 'none'],
  ['{{ claim.amount | default: "none" }}', 7, '£7.00'],
  ['[{{ claim.amount }}]', null, '[]'],
])('%s of %s prints %s', (body, amount, printed) => expect(plain(body, { id: 1, amount })).toBe(printed))

// POSIX strftime, as GNU date prints it in the C and in a German locale; read off by hand from a calendar.
test.each([
  ['en-GB', '%a %d %b', 'Sun 01 Mar'],
  ['en-GB', '%A, %B %%a %h', 'Sunday, March %a Mar'],
  ['de-DE', '%A, %d. %B', 'Sonntag, 01. März'],
  ['en-GB', '%^a %-d', 'SUN 1'],
])('names of days and months in %s by %s, in the organisation’s zone: %s', (locale, pattern, printed) => {
  const own = createEngines({ ...ORGANISATION, locale, zone: 'Pacific/Auckland' })
  const { text } = renderMessage(compileMessage({ subject: 'S', body: `{{ at | date: "${pattern}" }}`, format: 'plain' }, own), { at: '2026-02-28T12:00:00Z' })
  expect(text).toBe(printed) // one in the morning of the next day there
})

test('dates print in the organisation’s locale; a pattern says otherwise', () => {
  expect(plain('{{ claim.due }} {{ claim.due | date: "%d.%m.%Y" }}', { id: 1, due: '2026-03-03' })).toBe('3 March 2026 03.03.2026')
  expect(plain('{{ claim.created_at }} {{ claim.created_at | date: "%H:%M" }}', { id: 1, created_at: '2026-07-01T06:40:00+00:00' })).toBe('1 July 2026 at 07:40 07:40')
  const at = (moment: string) => plain('{{ claim.created_at | date: "%H:%M %z %Z" }}', { id: 1, created_at: moment })
  expect([at('2026-07-01T06:40:00+00:00'), at('2026-12-01T06:40:00+00:00')]).toEqual(['07:40 +0100 Europe/London', '06:40 +0000 Europe/London'])
  expect(plain('{{ claim.created_at | date: "%H:%M %z" }}', { id: 1, created_at: '2026-07-01T06:40:00+00:00' })).toBe('07:40 +0100')
})

test('a link prints the linked record’s title, and its fields follow', () => {
  expect(plain('{{ claim.owner }}, {{ claim.owner.manager.email }}', { id: 1, owner: 2 })).toBe('Rafi Demir, ines@office.example')
})

test('HTML escapes whatever a placeholder prints, in text and attributes', () => {
  const { html, text } = rich('<p title="{{ claim.note }}">{{ claim.note }}</p>', { id: 1, note: '<b onclick="x">&\'' })
  expect(html).toBe('<p title="&lt;b onclick=&quot;x&quot;&gt;&amp;&#39;">&lt;b onclick=&quot;x&quot;&gt;&amp;&#39;</p>')
  expect(text).toBe('<b onclick="x">&\'')
})

test('Liquid in a record’s data is data', () => {
  expect(plain('{{ claim.note }}', { id: 1, note: '{{ claim.owner }}{% for %}' })).toBe('{{ claim.owner }}{% for %}')
})

test('there is no raw way out', () => {
  expect(parseTemplate(engines.html, '{{ claim.note | raw }}')).toEqual({ problem: { message: expect.stringContaining('“raw” does not exist') } })
})

test('a subject stays one line whatever the data holds', () => {
  const message = compileMessage({ subject: '{{ claim.note }}', body: 'B', format: 'plain' }, engines)
  expect(renderMessage(message, record({ id: 1, note: 'a\r\nBcc: x@y.example\u2028b\u0000' })).subject).toBe('a Bcc: x@y.example b')
  expect(oneLine('\r\n')).toBe('')
})

test('a template that does not parse says where', () => {
  expect(parseTemplate(engines.plain, 'a\n{% if x %}')).toEqual({ problem: { message: expect.stringMatching(/if.*line 2/) } })
  expect(parseTemplate(engines.plain, '{{ claim.note | shout }}')).toEqual({ problem: { message: expect.stringContaining('shout') } })
})

test('a template that is too long, too slow or too large stops', () => {
  expect(parseTemplate(engines.plain, 'x'.repeat(TEMPLATE_LIMITS.source + 1))).toHaveProperty('problem')
  expect(() => plain('{% for i in (1..100000000) %}{{ i }}{% endfor %}', { id: 1 })).toThrow(/^The text builds more than 20 MB of values\./)
})

test('a field that is gone stops the run, with its name', () => {
  expect(() => plain('{{ claim.gone }}', { id: 1 })).toThrow('Claims has no field "gone"')
})

test('a text that only prints is told from one that goes round, decides or filters', () => {
  const prints = (format: 'plain' | 'rich', body: string) => compileMessage({ subject: '{{ claim.number }}', body, format }, engines).onlyPrints
  expect((['plain', 'rich'] as const).map((f) => prints(f, 'Dear {{ claim.owner.name | default: "all" }}, see {{ link }}'))).toEqual([true, true])
  expect(['{% if claim.note %}x{% endif %}', '{{ claim.amount | money }}', '{% assign a = 1 %}'].map((b) => prints('plain', b))).toEqual([false, false, false])
})

test('paths are found without running, loop variables left out', () => {
  const engine = createLiquid('plain', ORGANISATION)
  const paths = templatePaths(engine, engine.parse('{% for f in change.fields %}{{ f.label }}{% endfor %}{{ claim.owner.email | default: claim.note }}'))
  expect(paths).toEqual([
    ['change', 'fields'],
    ['claim', 'owner', 'email'],
    ['claim', 'note'],
  ])
})

test('plain text becomes HTML with its paragraphs and links; HTML becomes text', () => {
  expect(textToHtml('a < b\nc\n\nsee http://x.example/?a=1&b=2')).toBe(
    '<p>a &lt; b<br>\nc</p>\n<p>see <a href="http://x.example/?a=1&amp;b=2">http://x.example/?a=1&amp;b=2</a></p>',
  )
  expect(htmlToText('<h1>T</h1><p>a<br>b</p><p><a href="http://x.example">x</a></p>')).toBe('T\n\na\nb\n\nx [http://x.example]')
})
