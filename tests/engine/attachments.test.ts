import type { AddressInfo } from 'node:net'
import { simpleParser } from 'mailparser'
import PostalMime from 'postal-mime'
import { SMTPServer } from 'smtp-server'
import { mostAttachedOf } from '@/core/workflow/run/attachments'
import { offeredSize } from '@/engine/delivery/offered-size'
import { openFileKey } from '@/engine/file-key'
import { writeMailServer } from '@/store/access/mail-server'
import { signingSecret } from '@/store/access/secrets'
import { many, transaction } from '@/store/database'
import { createFile, putLibraryFile, readFile, removeLibraryFile } from '@/store/files'
import { readMailState } from '@/store/mail-state'
import { listRuns, readRun } from '@/store/runs'
import { writeSettings } from '@/store/settings'
import { putTable } from '@/store/tables'
import { putTemplate } from '@/store/templates'
import { INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

const PNG = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64')
const PDF = Buffer.from('%PDF-1.4 harbour')
const NAME = 'Fährplan für Łódź 2027, “neu”.pdf'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  await putTable(engine.pool, {
    name: 'letters',
    label: 'Letters',
    singular: 'letter',
    titleField: 'title',
    fields: [
      { name: 'title', label: 'Title', type: 'text' },
      { name: 'scan', label: 'Scan', type: 'file' },
    ],
  })
  await putLibraryFile(engine.pool, 'crest.png', { type: 'image/png', content: PNG }, null)
  await putLibraryFile(engine.pool, NAME, { type: 'application/pdf', content: PDF }, null)
})
afterEach(() => engine.stop())

const workflow = newClaimWorkflow({
  name: 'Letter',
  table: 'letters',
  actions: [
    {
      name: 'send it',
      do: 'email',
      to: [{ address: INES }],
      subject: '{{ letter.title }}',
      format: 'rich',
      body: '<p><img src="cid:crest.png" alt=""> {{ letter.scan | default: "no scan" }}</p>',
      attach: [{ field: 'scan' }, { file: NAME }],
    },
  ],
})

async function arrivals(count: number) {
  const list = await until(`${count} mails`, () => (engine.room.store.list({}).length >= count ? engine.room.store.list({}) : null))
  return Promise.all([...list].map(async ({ id }) => engine.room.store.source(id)))
}

test('what a template attaches goes along, and what the email attaches too, each once', async () => {
  const template = {
    name: 'Letter',
    table: 'letters',
    subject: '{{ letter.title }}',
    body: 'B',
    format: 'plain',
    priority: 'normal',
    attachments: [{ field: 'scan' }, { file: NAME }],
  } as const
  await transaction(engine.pool, (db) => putTemplate(db, template, null))
  await goLive(engine, {
    ...workflow,
    actions: [{ name: 'send it', do: 'email', to: [{ address: INES }], template: 'Letter', attach: [{ file: 'crest.png' }, { file: NAME }] }],
  })
  await engine.startWorker()
  const scan = await createFile(engine.pool, { name: 'scan.txt', type: 'text/plain', content: Buffer.from('s') }, null)
  await engine.pool.query('insert into data.letters (title, scan) values ($1, $2), ($3, null)', ['With', scan.id, 'Without'])
  const mails = await Promise.all((await arrivals(2)).map((source) => PostalMime.parse(source)))
  const carried = Object.fromEntries(mails.map((m) => [m.subject, m.attachments.map((a) => a.filename)]))
  expect(carried).toEqual({ With: ['scan.txt', NAME, 'crest.png'], Without: [NAME, 'crest.png'] })
  const notes = await many<{ trace: { notes: object[] } }>(engine.pool, `select trace from rappel.run where title = 'Without'`)
  expect(notes[0]?.trace.notes).toEqual([{ code: 'no file', path: '/actions/0/template', message: 'scan is blank, so nothing is attached for it.' }])
})

// Source: RFC 2231 (file names beyond US-ASCII), RFC 2392 (cid), RFC 2183 (disposition); read back by two independent parsers.
test('files of a record and of the library go along whole, and an image stands in the text', async () => {
  await goLive(engine, workflow)
  await engine.startWorker()
  const scan = await createFile(engine.pool, { name: 'scan "1".txt', type: 'text/plain', content: Buffer.from('grüße') }, null)
  await engine.pool.query('insert into data.letters (title, scan) values ($1, $2)', ['First', scan.id])
  const [source] = await arrivals(1)
  const [a, b] = [await simpleParser(source as Buffer), await PostalMime.parse(source as Buffer)]
  const files = (list: { filename?: string | null; contentType?: string; mimeType?: string; content: unknown }[]) =>
    list.map((f) => [f.filename, f.contentType ?? f.mimeType, Buffer.from(f.content as Buffer).toString('base64')]).sort()
  const wanted = [
    ['crest.png', 'image/png', PNG.toString('base64')],
    ['scan "1".txt', 'text/plain', Buffer.from('grüße').toString('base64')],
    [NAME, 'application/pdf', PDF.toString('base64')],
  ].sort()
  expect(files(a.attachments)).toEqual(wanted)
  expect(files(b.attachments)).toEqual(wanted)
  const image = b.attachments.find((f) => f.filename === 'crest.png')
  expect(image).toMatchObject({ disposition: 'inline', related: true })
  expect(b.html).toContain(`src="cid:${image?.contentId?.replaceAll(/[<>]/g, '')}"`)
  expect(b.html).toContain('scan &quot;1&quot;.txt')
})

test('what is blank or gone is left out, what is too much is linked, each with a note; the mail goes all the same', async () => {
  await goLive(engine, workflow)
  await removeLibraryFile(engine.pool, NAME)
  await engine.startWorker()
  const huge = await createFile(engine.pool, { name: 'huge.bin', type: 'application/octet-stream', content: Buffer.alloc(18_000_001) }, null)
  await engine.pool.query('insert into data.letters (title) values ($1)', ['Without'])
  await engine.pool.query('insert into data.letters (title, scan) values ($1, $2)', ['Too much', huge.id])
  const sources = await arrivals(2)
  for (const source of sources) expect((await PostalMime.parse(source)).attachments.map((f) => f.filename)).toEqual(['crest.png'])
  const runs = await listRuns(engine.pool, { limit: 5 })
  const notes = await Promise.all(runs.map(async (r) => [r.title, (await readRun(engine.pool, r.id))?.trace.notes.map((n) => `${n.code} ${n.path}`)] as const))
  expect(Object.fromEntries(notes)).toEqual({
    Without: ['no file /actions/0/attach/0', 'no file /actions/0/attach/1'],
    'Too much': ['linked /actions/0/attach/0', 'no file /actions/0/attach/1'],
  })
})

test('the same content is kept once, whatever files have it; what is too much for all together is refused, and what is there already is not', async () => {
  const [kept] = await many<{ n: number }>(engine.pool, 'select count(*)::int as n from rappel.file_content')
  const content = Buffer.alloc(700_000, 'a')
  const file = (name: string, of: Buffer) => createFile(engine.pool, { name, type: 'text/plain', content: of }, null)
  const [a, b] = [await file('a.txt', content), await file('b.txt', content)]
  expect([a.size, b.id - a.id]).toEqual([700_000, 1])
  expect(await many(engine.pool, 'select count(*)::int as n from rappel.file_content')).toEqual([{ n: (kept?.n ?? 0) + 1 }])
  expect((await readFile(engine.pool, b.id))?.content.equals(content)).toBe(true)
  await writeSettings(engine.pool, { filesTotal: 1 })
  await expect(file('c.txt', Buffer.alloc(700_000, 'c'))).rejects.toThrow('All files together may have 1 MB, of which 0 MB are used.')
  await file('d.txt', content)
})

// Source: RFC 1870, sections 3 and 5 (SIZE in the answer to EHLO); RFC 2045, section 6.8 (how much a file grows).
test('a server that takes less than is common gets less: what would be more is linked', async () => {
  expect([mostAttachedOf(null), mostAttachedOf(50_000_000), mostAttachedOf(1_000_000), mostAttachedOf(1_000)]).toEqual([18_000_000, 18_000_000, 584_615, 0])
  const took: number[] = []
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    logger: false,
    size: 1_000_000,
    onData(stream, _session, done) {
      let bytes = 0
      stream.on('data', (chunk: Buffer) => (bytes += chunk.length))
      stream.on('end', () => {
        took.push(bytes)
        done(null)
      })
    },
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  try {
    const { port } = server.server.address() as AddressInfo
    expect(await offeredSize(`smtp://127.0.0.1:${port}`)).toBe(1_000_000)
    expect(await offeredSize(`smtp://127.0.0.1:${engine.room.smtpPort}`)).toBe(50 * 2 ** 20)
    await goLive(engine, workflow)
    await writeMailServer(engine.pool, { host: '127.0.0.1', port, security: 'none', user: null, dkim: null }, { password: null, dkimKey: null })
    await engine.startWorker()
    await until('its size to be known', async () => (await readMailState(engine.pool)).mostBytes === 1_000_000)
    const fits = await createFile(engine.pool, { name: 'fits.bin', type: 'application/octet-stream', content: Buffer.alloc(580_000, 1) }, null)
    const much = await createFile(engine.pool, { name: 'much.bin', type: 'application/octet-stream', content: Buffer.alloc(590_000, 1) }, null)
    await engine.pool.query('insert into data.letters (title, scan) values ($1, $2), ($3, $4)', ['Fits', fits.id, 'Much', much.id])
    await until('both mails', () => took.length === 2)
    const [small, large] = [...took].sort((a, b) => a - b) as [number, number]
    expect(large).toBeLessThan(1_000_000)
    expect(large).toBeGreaterThan(780_000)
    expect(small).toBeLessThan(100_000)
  } finally {
    server.close(() => undefined) // the worker’s connections end with it
  }
})

test('a file goes as a link where that is said: signed, for a time, and for the files of this mail alone', async () => {
  const secret = await createFile(engine.pool, { name: 'secret.txt', type: 'text/plain', content: Buffer.from('secret') }, null)
  const forged = `http://rappel.example/api/file/file-${secret.id}-of-this-message`
  await goLive(engine, {
    ...workflow,
    actions: [
      { name: 'send it', do: 'email', to: [{ address: INES }], subject: 'S', body: '{{ letter.title }}', format: 'plain', attach: [{ field: 'scan', as: 'link' }, { file: NAME }] },
    ],
  })
  await engine.startWorker()
  const scan = await createFile(engine.pool, { name: 'a <scan>.txt', type: 'text/plain', content: Buffer.from('s') }, null)
  await engine.pool.query('insert into data.letters (title, scan) values ($1, $2)', [forged, scan.id])
  const mail = await PostalMime.parse((await arrivals(1))[0] as Buffer)
  expect(mail.attachments.map((f) => f.filename)).toEqual([NAME])
  const links = [...(mail.text ?? '').matchAll(/\/api\/file\/([\w.-]+)/g)].map((m) => m[1] as string)
  const whySecret = await signingSecret(engine.pool, 'why')
  const now = new Date()
  expect(links.map((key) => openFileKey(key, whySecret, now))).toEqual([null, { file: scan.id, isOver: false }])
  expect(openFileKey(links[1] as string, whySecret, new Date(now.getTime() + 31 * 86_400_000))?.isOver).toBe(true)
  expect(openFileKey(links[1] as string, 'another', now)).toBeNull()
  expect(mail.html).toContain('a &lt;scan&gt;.txt (1 kB)')
})

test('mail that waits keeps the file it was written with when the library’s is replaced', async () => {
  await goLive(engine, workflow)
  engine.room.faults = { down: true }
  await engine.startWorker()
  await engine.pool.query('insert into data.letters (title) values ($1)', ['Waiting'])
  await until('the message', async () => (await many(engine.pool, 'select 1 from rappel.message')).length)
  await putLibraryFile(engine.pool, NAME, { type: 'application/pdf', content: Buffer.from('%PDF-1.4 another') }, null)
  engine.room.faults = {}
  const [source] = await arrivals(1)
  const parsed = await PostalMime.parse(source as Buffer)
  expect(Buffer.from(parsed.attachments.find((f) => f.filename === NAME)?.content as ArrayBuffer)).toEqual(PDF)
})
