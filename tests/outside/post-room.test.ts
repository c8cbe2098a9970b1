import { appendFile, mkdtemp, open, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import nodemailer from 'nodemailer'
import { ChannelBoard } from '@/outside/post-room/channels'
import { readFaults } from '@/outside/post-room/faults'
import { written } from '@/outside/post-room/json-lines'
import { MailStore } from '@/outside/post-room/mail-store'
import { PostRoom } from '@/outside/post-room/post-room'

let folder: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'rappel-room-'))
})
afterEach(() => rm(folder, { recursive: true, force: true }))

const arrival = (to: string, subject = 'S') => ({ at: '2026-01-01T00:00:00.000Z', envelope: { from: 'a@x.example', to: [to] }, subject })

test('messages are kept over a restart, and a torn last line is passed over', async () => {
  const store = await MailStore.open(folder)
  await store.add(Buffer.from('Subject: ä\r\n\r\nfirst'), arrival('One@x.example'))
  await store.add(Buffer.from('second'), arrival('two@x.example'))
  await store.close()
  await appendFile(join(folder, 'index.jsonl'), '{"id":3,"at":"20')
  const again = await MailStore.open(folder)
  expect(again.list({}).map((m) => m.id)).toEqual([1, 2])
  expect((await again.source(1)).toString()).toBe('Subject: ä\r\n\r\nfirst')
  expect((await again.add(Buffer.from('third'), arrival('one@x.example'))).id).toBe(3)
  expect((await again.source(3)).toString()).toBe('third')
  expect(
    again
      .mailboxes()
      .map((b) => [b.address, b.messages])
      .sort(),
  ).toEqual([
    ['one@x.example', 2],
    ['two@x.example', 1],
  ])
  await again.clear()
  expect(again.list({})).toEqual([])
  await again.close()
})

test('what a full disk or a power cut left of a message or a post is nothing, and what came before and after is there', async () => {
  const store = await MailStore.open(folder)
  for (const text of ['first', 'second']) await store.add(Buffer.from(text), arrival('one@x.example', text))
  await store.close()
  const index = join(folder, 'index.jsonl')
  const [first = '', second = ''] = (await readFile(index, 'utf8')).split('\n')
  const gone = { ...JSON.parse(second), id: 3, offset: 11, length: 400 } // its source was not written
  await writeFile(index, `${[first, '{"id":7,"at', second, JSON.stringify(gone)].join('\n')}\n`)
  const again = await MailStore.open(folder)
  expect(again.list({}).map((m) => m.subject)).toEqual(['first', 'second'])
  expect((await again.add(Buffer.from('third'), arrival('one@x.example'))).id).toBe(3)
  expect((await again.source(3)).toString()).toBe('third')
  await again.close()

  const channels = join(folder, 'channels.jsonl')
  await writeFile(channels, '{"id":1,"channel":"Quays","body":"A"}\n{"id":2,"chan\n')
  const board = await ChannelBoard.open(channels)
  expect((await board.post('Quays', 'B', new Date())).id).toBe(2)
  expect(board.list('Quays').map((p) => p.body)).toEqual(['A', 'B'])
  await board.close()

  const full = await open('/dev/full', 'a')
  await expect(written(full, Buffer.from('x'), 0)).rejects.toThrow('ENOSPC')
  await full.close()
})

test('messages are listed by address, after an id, and the newest first', async () => {
  const store = await MailStore.open(folder)
  for (const n of [1, 2, 3, 4]) await store.add(Buffer.from(String(n)), arrival(n % 2 ? 'odd@x.example' : 'even@x.example', `S${n}`))
  expect(store.list({ to: 'ODD@x.example' }).map((m) => m.id)).toEqual([1, 3])
  expect(store.list({ after: 2 }).map((m) => m.id)).toEqual([3, 4])
  expect(store.list({ newest: true, limit: 2 }).map((m) => m.id)).toEqual([4, 3])
  expect([store.find(9), store.find(2)?.subject]).toEqual([null, 'S2'])
  await expect(store.source(9)).rejects.toThrow('There is no message 9')
  await store.close()
})

test.each([
  [{}, true],
  [{ delayMs: 5, refuse: { 'a@x.example': 450, '*': 550 }, dropAfterData: 2, down: true }, true],
  [{ delay: 5 }, false],
  [{ refuse: { a: 200 } }, false],
  [{ down: 'yes' }, false],
  [{ dropAfterData: -1 }, false],
  [[], false],
  [null, false],
])('faults %j are taken: %s', (faults, taken) => expect(typeof readFaults(faults) === 'object').toBe(taken))

describe('over its ports', () => {
  let room: PostRoom
  const ask = async (method: string, path: string, body?: unknown) => {
    const response = await fetch(`http://127.0.0.1:${room.httpPort}${path}`, { method, body: body === undefined ? undefined : JSON.stringify(body) })
    return { status: response.status, type: response.headers.get('content-type'), text: await response.text() }
  }
  const mail = (to: string, text = 'Hello') =>
    nodemailer.createTransport({ host: '127.0.0.1', port: room.smtpPort }).sendMail({ from: 'a@x.example', to, subject: 'Überall', text })
  beforeEach(async () => {
    room = await PostRoom.open({ folder, smtpPort: 0, httpPort: 0 })
  })
  afterEach(() => room.close())

  test('what is sent is listed with its envelope and source', async () => {
    await mail('b@x.example')
    const { messages } = JSON.parse((await ask('GET', '/messages?to=b@x.example')).text)
    expect(messages).toEqual([{ id: 1, at: expect.any(String), envelope: { from: 'a@x.example', to: ['b@x.example'] }, subject: 'Überall', raw: expect.stringContaining('Hello') }])
    expect(await ask('GET', '/messages/1.eml')).toMatchObject({ status: 200, type: 'message/rfc822', text: messages[0].raw })
    expect((await ask('GET', '/messages/7')).status).toBe(404)
    expect((await ask('DELETE', '/messages')).status).toBe(200)
    expect(JSON.parse((await ask('GET', '/messages')).text)).toEqual({ messages: [] })
  })

  // Source: RFC 4155 appendix A: each message begins with a "From " line; lines of a body that look like one are quoted.
  test('a mailbox comes as mbox with its From lines quoted', async () => {
    await mail('b@x.example', 'From the quay\n>From there')
    const { text } = await ask('GET', '/mailbox/b@x.example.mbox')
    expect(text).toMatch(/^From a@x\.example /)
    expect(text).toContain('\n>From the quay')
    expect(text).toContain('\n>>From there')
  })

  test('faults are switched by HTTP, kept, and refused when they are none', async () => {
    expect((await ask('PUT', '/faults', { refuse: { 'b@x.example': 550 } })).status).toBe(200)
    await expect(mail('b@x.example')).rejects.toMatchObject({ responseCode: 550, response: expect.stringContaining('5.1.1') })
    expect((await ask('PUT', '/faults', { nonsense: 1 })).status).toBe(422)
    expect((await ask('PUT', '/faults')).status).toBe(422)
    expect(JSON.parse((await ask('GET', '/faults')).text)).toEqual({ refuse: { 'b@x.example': 550 } })
  })

  test('the channel board keeps what is posted', async () => {
    expect((await ask('POST', '/channels/Quays', { data: { title: 'T' } })).status).toBe(201)
    expect(JSON.parse((await ask('GET', '/channels/Quays')).text).posts).toEqual([{ id: 1, at: expect.any(String), channel: 'Quays', body: { data: { title: 'T' } } }])
    expect(JSON.parse((await ask('GET', '/channels')).text)).toEqual({ channels: ['Quays'] })
    expect((await ask('GET', '/nothing')).status).toBe(404)
  })
})
