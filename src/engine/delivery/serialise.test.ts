import fc from 'fast-check'
import { createTransport } from 'nodemailer'
import MailComposer from 'nodemailer/lib/mail-composer'
import PostalMime from 'postal-mime'
import { serialise, serialiseAtOnce } from './serialise'

const mail = (parts: object) => ({
  from: { address: 'alerts@quay.example', name: 'Ternsay Fähren' },
  to: [{ address: 'jürgen@example.org', name: 'Jürgen, "Jo" Müllner' }],
  bcc: 'secret@example.net',
  messageId: '<0b7c9f5e@quay.example>',
  date: new Date('2026-03-03T07:40:01Z'),
  textEncoding: 'quoted-printable' as const,
  baseBoundary: 'fixed',
  headers: { 'Auto-Submitted': 'auto-generated' },
  ...parts,
})

/** What nodemailer streams, which this must equal but for the line break that it adds at the very end. */
const streamed = async (parts: object) => (await new MailComposer(mail(parts)).compile().build()).toString()
const atOnce = (parts: object) => serialise(new MailComposer(mail(parts)).compile())

const text = fc.oneof(
  fc.string({ unit: 'grapheme', maxLength: 400 }),
  fc.stringMatching(/^([A-Za-z0-9 .=,!?\t\n]|\r\n|ß|é|🚢){0,600}$/),
  fc.array(fc.string({ maxLength: 120 })).map((lines) => lines.join('\n')),
)

test('it writes octet by octet what nodemailer streams, whatever the texts hold', async () => {
  const ended = text.map((t) => `${t}.`) // blanks at the very end may break onto a line of their own here
  await fc.assert(
    fc.asyncProperty(ended, ended, fc.string({ unit: 'grapheme' }), async (body, html, subject) => {
      const expected = await streamed({ text: body, html, subject })
      const source = atOnce({ text: body, html, subject }) as string
      expect(source).toBe(expected)
    }),
    { numRuns: 400 },
  )
})

test('long texts too', async () => {
  const parts = { text: `${'Grüße von der Küste. '.repeat(40_000)}E`, html: `<p>${'=. '.repeat(200_000)}</p>`, subject: 'S' }
  expect(atOnce(parts)).toBe(await streamed(parts))
})

test('blanks at the end of a text are read back as they were', async () => {
  for (const end of [' ', '\t', `${'x'.repeat(74)} `, `${'Grüße von der Küste. '.repeat(40)}`]) {
    const parsed = await PostalMime.parse(atOnce({ text: `ü${end}`, html: `<p>ü</p>${end}` }) as string)
    expect([parsed.text, parsed.html].map((t) => t?.replace(/\n$/, ''))).toEqual([`ü${end}`, `<p>ü</p>${end}`])
  }
})

test('a message with a file is left to be streamed', () => {
  expect(atOnce({ text: 'T', html: 'H', attachments: [{ filename: 'a.bin', content: Buffer.from([0, 1, 2]) }] })).toBeNull()
})

test('the envelope and the Message-ID stay those of the message', async () => {
  const transport = serialiseAtOnce(createTransport({ streamTransport: true, buffer: true }))
  const { envelope, messageId, message } = await transport.sendMail({ ...mail({ text: 'T', html: 'H' }), envelope: { from: 'a@x.example', to: ['b@x.example'] } })
  expect([envelope, messageId]).toEqual([{ from: 'a@x.example', to: ['b@x.example'] }, '<0b7c9f5e@quay.example>'])
  expect(String(message).match(/^Message-ID:/gm)).toHaveLength(1)
  expect(String(message)).not.toContain('secret@example.net')
})
