import { simpleParser } from 'mailparser'
import PostalMime from 'postal-mime'
import { textToHtml } from '@/core/message/text'
import { composeSource } from '@/engine/delivery/source'
import type { MessageDetail } from '@/store/messages'

const BODY = `Grüße von der Küste, Łódź, Ærø und 東京 🚢.\n\n${'A line that is much longer than any line of a message may be. '.repeat(30)}\n.\nFrom the quay`

const message: MessageDetail = {
  id: 1,
  run: 1,
  change: 1,
  workflow: 'W',
  action: 'tell',
  table: 'claims',
  record: 1,
  message_id: '<0b7c9f5e@ternsay-ferries.example>',
  from: { address: 'alerts@ternsay-ferries.example', name: 'Ternsay Fähren' },
  reply_to: { address: 'ines@ternsay-ferries.example', name: 'Ines Ökafor' },
  subject: `Überfahrt nach Ærø gestrichen: ${'Fähre '.repeat(30)}`.trim(),
  state: 'queued',
  attempt: 0,
  next_at: new Date(0),
  last_reply: null,
  changed_at: new Date('2026-03-03T07:40:00Z'),
  created_at: new Date('2026-03-03T07:40:01Z'),
  finished_at: null,
  recipients: [
    { part: 'to', address: 'jürgen@example.org', name: 'Jürgen, "Jo" Müllner', state: 'open', reply: null },
    { part: 'cc', address: 'b@example.net', name: null, state: 'open', reply: null },
    { part: 'bcc', address: 'secret@example.net', name: null, state: 'open', reply: null },
  ],
  html: textToHtml(BODY),
  body: BODY,
  priority: 'high',
  attachments: null,
  held_for: null,
  held_until: null,
  digests: [],
  thread: null,
  stop_link: null,
  attempts: [],
  bounces: [],
}

let source: Buffer
beforeAll(async () => {
  source = await composeSource(message)
})
const head = () => source.subarray(0, source.indexOf('\r\n\r\n')).toString('latin1')

test('two independent parsers read the same message out of it', async () => {
  const [a, b] = [await simpleParser(source), await PostalMime.parse(source)]
  expect([a.subject, b.subject]).toEqual([message.subject, message.subject])
  expect([a.text?.trimEnd(), b.text?.replaceAll('\r\n', '\n').trimEnd()]).toEqual([BODY, BODY])
  expect([a.messageId, b.messageId]).toEqual([message.message_id, message.message_id])
  expect([a.from?.value[0], b.from]).toEqual([
    expect.objectContaining({ name: 'Ternsay Fähren', address: 'alerts@ternsay-ferries.example' }),
    expect.objectContaining({ name: 'Ternsay Fähren', address: 'alerts@ternsay-ferries.example' }),
  ])
  expect(b.to).toEqual([expect.objectContaining({ name: 'Jürgen, "Jo" Müllner', address: 'jürgen@example.org' })])
  expect(a.replyTo?.value[0]?.name).toBe('Ines Ökafor')
  expect(a.date).toEqual(message.created_at)
})

test('both parsers find an HTML and a text part', async () => {
  const [a, b] = [await simpleParser(source), await PostalMime.parse(source)]
  expect([String(a.html).trim(), b.html?.replaceAll('\r\n', '\n').trim()]).toEqual([message.html, message.html])
  expect(head()).toMatch(/^Content-Type: multipart\/alternative/m)
})

// Source: RFC 5322 section 2.1.1: at most 998 characters a line, CRLF excluded, and 78 wanted; CR and LF only together.
test('no line is longer than 998 octets, header lines not than 78, and every line ends with CRLF', () => {
  const lines = source.toString('latin1').split('\r\n')
  expect(Math.max(...lines.map((l) => l.length))).toBeLessThanOrEqual(998)
  expect(
    Math.max(
      ...head()
        .split('\r\n')
        .map((l) => l.length),
    ),
  ).toBeLessThanOrEqual(78)
  expect(lines.join('')).not.toMatch(/[\r\n]/)
})

// Source: RFC 2047 section 2: encoded-words of at most 75 characters, no white space inside, folded lines of at most 76.
test('a subject with umlauts is written in encoded-words that keep to their limits', () => {
  const subject = /^Subject: ((?:.*\r\n[ \t])*.*)/m.exec(head())?.[1] ?? ''
  const words = subject.split(/\s+/)
  expect(words.length).toBeGreaterThan(2)
  for (const word of words) expect(word).toMatch(/^=\?UTF-8\?[QB]\?[!-~]{1,63}\?=$/i)
  for (const word of words) expect(word.length).toBeLessThanOrEqual(75)
})

// Source: RFC 5322 section 2.2: a header holds printable US-ASCII; an address with a UTF-8 local part needs RFC 6532, so that line alone may hold more.
test('headers are ASCII but for an internationalised address', () => {
  const foreign = head()
    .split('\r\n')
    .filter((l) => /[^\x20-\x7e\t]/.test(l))
  expect(foreign.every((l) => Buffer.from(l, 'latin1').toString('utf8').includes('jürgen@'))).toBe(true)
})

// Source: RFC 3834 section 5: Auto-Submitted: auto-generated; RFC 2156 section 5.3.9 (Importance), common practice for X-Priority.
test('it says that it was sent by a machine, and how important it is', async () => {
  const { headers } = await PostalMime.parse(source)
  const value = (name: string) => headers.find((h) => h.key === name)?.value
  expect([value('auto-submitted'), value('importance'), value('x-priority')]).toEqual(['auto-generated', 'High', '1 (Highest)'])
})

// Source: RFC 5322 section 3.6.4: In-Reply-To and References name the message answered to; those with the same one thread together.
test('mail about one record threads', async () => {
  const [a, b] = [await simpleParser(source), await PostalMime.parse(source)]
  expect([a.inReplyTo, a.references, b.inReplyTo]).toEqual(Array(3).fill('<claims.1.record@ternsay-ferries.example>'))
})

// Source: RFC 5322 section 3.6.3: Bcc is not shown to others.
test('hidden recipients are not in it', () => expect(source.toString()).not.toContain('secret@example.net'))

test('a hostile subject cannot add a header', async () => {
  const hostile = await composeSource({ ...message, subject: 'a\r\nBcc: x@y.example\r\n\r\nbody' })
  const parsed = await PostalMime.parse(hostile)
  expect(parsed.bcc ?? []).toEqual([])
  expect(parsed.headers.filter((h) => h.key === 'bcc')).toEqual([])
})

// RFC 2369 section 3.2 and RFC 8058 sections 3.1 and 8.1 (whose example this follows)
test('mail that its reader may stop says so in the headers: one click only where the address is safe', async () => {
  const headersOf = async (stop_link: string | null) => {
    const [parsed, source] = [(await simpleParser(await composeSource({ ...message, stop_link }))).headers, (await composeSource({ ...message, stop_link })).toString('latin1')]
    return { list: parsed.get('list') as { unsubscribe?: { url: string }; 'unsubscribe-post'?: { name: string } } | undefined, source }
  }
  const safe = await headersOf('https://rappel.example/api/stop/opaque-part')
  expect(safe.list?.unsubscribe?.url).toBe('https://rappel.example/api/stop/opaque-part')
  expect(safe.source).toMatch(/^List-Unsubscribe: <https:\/\/rappel\.example\/api\/stop\/opaque-part>\r$/m)
  expect(safe.source).toMatch(/^List-Unsubscribe-Post: List-Unsubscribe=One-Click\r$/m)
  const plain = await headersOf('http://rappel.example/api/stop/opaque-part')
  expect(plain.list?.unsubscribe?.url).toBe('http://rappel.example/api/stop/opaque-part')
  expect(plain.source).not.toMatch(/List-Unsubscribe-Post/i)
  expect((await headersOf(null)).source).not.toMatch(/List-Unsubscribe/i)
})
