import PostalMime from 'postal-mime'
import { many } from '@/store/database'
import { listRuns } from '@/store/runs'
import { INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let owner: number
beforeEach(async () => {
  engine = await startEngine()
  owner = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

const add = (number: string, note: string) => engine.pool.query('insert into data.claims (number, note, owner) values ($1, $2, $3)', [number, note, owner])

async function mailOf(workflow: Parameters<typeof newClaimWorkflow>[0], number: string, note: string) {
  await goLive(engine, newClaimWorkflow(workflow))
  await engine.startWorker()
  await add(number, note)
  await until('the mail', () => engine.room.store.list({}).length === 1)
  const source = await engine.room.store.source(1)
  return { source: source.toString('latin1'), mail: await PostalMime.parse(source) }
}

const rich = {
  actions: [
    {
      name: 'tell',
      do: 'email' as const,
      to: [{ field: 'owner' }],
      subject: 'Claim {{ claim.number }}',
      format: 'rich' as const,
      body: '<p title="{{ claim.number }}">{{ claim.note }}</p><a href="{{ link }}">open</a>',
    },
  ],
}

test.each([
  ['CR and LF', 'a\r\nBcc: thief@x.example\r\n\r\nHello', 'a Bcc: thief@x.example Hello'],
  ['a lone LF', 'a\nCc: thief@x.example', 'a Cc: thief@x.example'],
  ['line separators of Unicode', 'a\u2028Cc: thief@x.example\u0085b', 'a Cc: thief@x.example b'],
  ['an encoded-word', '=?utf-8?q?=0d=0aBcc:_thief@x.example?=', '=?utf-8?q?=0d=0aBcc:_thief@x.example?='],
  ['right-to-left text and its marks', '\u202eevil\u202c مرحبا', '\u202eevil\u202c مرحبا'],
  ['emoji and combining marks', '🚢👩‍✈️ Å', '🚢👩‍✈️ Å'],
  ['Liquid', '{{ claim.owner.email }}{% for i in (1..9) %}x{% endfor %}', '{{ claim.owner.email }}{% for i in (1..9) %}x{% endfor %}'],
])('%s in a title stays one line of text and adds no header', async (_, title, shown) => {
  const { source, mail } = await mailOf({}, title, 'n')
  const headers = mail.headers.map((h) => h.key)
  expect(headers.filter((key) => ['bcc', 'cc', 'to'].includes(key))).toEqual(['to'])
  expect(engine.room.store.list({})[0]?.envelope.to).toEqual([INES])
  expect(source.slice(0, source.indexOf('\r\n\r\n'))).not.toMatch(/[^\r]\n|\r[^\n]/)
  if (!title.startsWith('=?')) expect(mail.subject).toBe(`Claim ${shown}`)
})

test.each([
  ['a script', '<script>alert(1)</script>'],
  ['an image with a handler', '"><img src=x onerror=alert(1)>'],
  ['an end of what surrounds it', '</p></body></html><h1>Hello'],
  ['a link', '<a href="javascript:alert(1)">x</a>'],
  ['an image of the library', '<img src="cid:crest.png">'],
])('%s in a record’s text is shown as text in a rich body', async (_, note) => {
  const { mail } = await mailOf(rich, note, note)
  expect(mail.html).not.toMatch(/<(script|img|h1)|<a href="javascript/i)
  expect(mail.html?.match(/<p/g)).toHaveLength(1)
  expect(mail.text).toContain(note)
})

test('a text of a megabyte goes through whole', async () => {
  const note = 'Möwe '.repeat(175_000)
  const { mail } = await mailOf({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: '{{ claim.note }}' }] }, 'CL', note)
  expect(mail.text?.trim()).toBe(note.trim())
})

test('a template that loops or explodes in size fails its own run in words; the others go on', async () => {
  const { pool } = engine
  const email = (subject: string, body: string) => [{ name: 'tell', do: 'email' as const, to: [{ field: 'owner' }], subject, body }]
  await goLive(engine, newClaimWorkflow({ name: 'Endless', actions: email('S', '{% for a in (1..99999999) %}{% for b in (1..99999999) %}x{% endfor %}{% endfor %}') }))
  await goLive(engine, newClaimWorkflow({ name: 'Exploding', actions: email('S', `{% assign a = "xxxxxxxxxx" %}${'{% assign a = a | append: a %}'.repeat(40)}{{ a }}`) }))
  await goLive(engine, newClaimWorkflow({ name: 'Sound', actions: email('Sound', 'B') }))
  await engine.startWorker()
  await add('CL-1', 'n')
  await until('the sound one’s mail', () => engine.room.store.list({}).length === 1)
  const runs = await until('all runs', async () => {
    const list = await listRuns(pool, { limit: 5 })
    return list.length === 3 && !list.some((r) => r.state.endsWith('waiting')) ? list : null
  })
  expect(Object.fromEntries(runs.map((r) => [r.workflow, r.state]))).toEqual({ Endless: 'failed', Exploding: 'failed', Sound: 'done' })
  for (const run of runs) if (run.state === 'failed') expect(run.error).toMatch(/^In “.+”: The text builds more than 20 MB of values\.|takes longer than 1 s/)
  expect(await many(pool, 'select 1 from rappel.queue')).toEqual([])
})
