import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Workflow } from '@/core/document/document'
import { LiveReview } from '@/engine/live-review'
import { ChannelTroubles } from '@/engine/trouble/by-channel'
import { Troubles } from '@/engine/trouble/by-mail'
import { many, one } from '@/store/database'
import { noteMailState } from '@/store/mail-state'
import { putChannel, removeChannel } from '@/store/notices'
import { deactivatePerson, putGroup, putPerson, removeGroup } from '@/store/people'
import { wake } from '@/store/place'
import { putTable } from '@/store/tables'
import { readTroubleChannel, setTroubleChannel, tellPerson } from '@/store/trouble'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

/** Who asked for it is told by mail that something is wrong: what is new, once, and at most once an hour. */

const HOUR = 3_600_000

let engine: Engine
let people: { ines: number; rafi: number }
let at: number
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
  await tellPerson(engine.pool, people.ines, true)
  at = Date.now()
})
afterEach(() => engine.stop())

const clock = () => new Date(at)
const troubles = (gatherMs = 0) => new Troubles(engine.pool, BASE_URL, clock, () => undefined, gatherMs)
const told = () =>
  many<{ to: string; subject: string; body: string }>(
    engine.pool,
    `select r.address as to, m.subject, m.body from rappel.message m join rappel.message_recipient r on r.message = m.id where m.action = 'trouble' order by m.id`,
  )
const subjects = async () => (await told()).map((mail) => mail.subject)

/** A worker that decides and delivers, and tells of nothing by itself. */
const work = () => engine.startWorker(undefined, { gatherTroubleMs: HOUR })

/** A live workflow whose every run fails, for the table of its list is gone. */
async function failing(name = 'Failing'): Promise<void> {
  await putTable(engine.pool, { name: 'boats', label: 'Boats', singular: 'boat', titleField: 'name', fields: [{ name: 'name', label: 'Name', type: 'text' }] })
  const actions: Workflow['actions'] = [{ name: 'tell', do: 'email', to: [{ address: 'a@x.example' }], subject: 'S', body: 'B' }]
  await goLive(engine, newClaimWorkflow({ name, bringIn: [{ name: 'others', list: 'boats' }], actions }))
  await engine.pool.query('drop table data.boats')
}
const claims = (n: number) => engine.pool.query(`insert into data.claims (number) select 'HV-' || i from generate_series(1, $1::int) i`, [n])
const failed = (n: number) => until(`${n} failed runs`, async () => (await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.run where state = 'failed'`)).n === n)

test('runs that failed are told in one mail, to whoever asked, once, however many look; what fails then is told an hour later', async () => {
  await failing()
  await work()
  await claims(3)
  await failed(3)
  const queued = await Promise.all(Array.from({ length: 5 }, () => troubles().look()))
  expect(queued.reduce((sum, n) => sum + n, 0)).toBe(1)
  expect(await told()).toEqual([
    {
      to: INES,
      subject: 'Rappel: “Failing” failed 3 times',
      body: expect.stringMatching(/Last for “HV-\d”: The list of boats could not be read: .*\nhttp:\/\/rappel\.example\/runs\/\d+\n/),
    },
  ])
  await claims(1)
  await failed(4)
  expect(await troubles().look()).toBe(0)
  at += HOUR
  expect([await troubles().look(), await troubles().look()]).toEqual([1, 0])
  at += HOUR
  expect(await troubles().look()).toBe(0)
  expect(await subjects()).toEqual(['Rappel: “Failing” failed 3 times', 'Rappel: “Failing” failed'])
})

test('a worker tells by itself, and the mail arrives', async () => {
  await failing()
  await engine.startWorker(undefined, { gatherTroubleMs: 0 })
  await claims(1)
  const arrived = await until('the mail', () => engine.room.store.list({ to: INES })[0])
  expect(arrived.subject).toBe('Rappel: “Failing” failed')
})

test('what came together is told together: not before the oldest has waited for a while', async () => {
  await failing()
  await work()
  await claims(1)
  await failed(1)
  const patient = troubles(600_000)
  expect(await patient.look()).toBe(0)
  await engine.pool.query(`update rappel.trouble set at = at - interval '11 minutes'`)
  await claims(1)
  await failed(2)
  expect(await patient.look()).toBe(1)
  expect(await subjects()).toEqual(['Rappel: “Failing” failed 2 times'])
})

test('mail that a server refuses is told with its words; that word of trouble is refused is no news', async () => {
  await tellPerson(engine.pool, people.rafi, true)
  await putPerson(engine.pool, RAFI, { role: 'administrator' })
  engine.room.faults = { refuse: { 'gone@x.example': 550, [RAFI]: 550 } }
  await goLive(engine, newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ address: 'gone@x.example' }], subject: 'A claim', body: 'B' }] }))
  await work()
  await claims(1)
  await until('the refusal', async () => (await many(engine.pool, `select 1 from rappel.message where state = 'failed'`)).length === 1)
  expect(await troubles().look()).toBe(2)
  expect((await told()).map((mail) => [mail.to, mail.subject])).toEqual([
    [INES, 'Rappel: “New claim”: a message was not delivered'],
    [RAFI, 'Rappel: “New claim”: a message was not delivered'],
  ])
  expect((await told())[0]?.body).toMatch(/It is “A claim”: gone@x\.example: 550/)
  await engine.pool.query(`select pg_notify('rappel_message', '')`)
  await until('the second refusal', async () => (await many(engine.pool, `select 1 from rappel.message where state = 'failed'`)).length === 2)
  at += HOUR
  expect(await troubles().look()).toBe(0) // and Rafi, whose address was suppressed, would not be written to
})

test('a notice that its channel refused is told with its words; a channel that takes nothing for some minutes, and a program, while they do not', async () => {
  await putChannel(engine.pool, 'Quays', 'http://127.0.0.1:9/quays', 'a secret')
  await goLive(engine, newClaimWorkflow({ name: 'Told the quays', actions: [{ name: 'say', do: 'notice', channel: 'Quays', text: 'A claim came' }] }))
  await work()
  await claims(1)
  const state = async () => (await many<{ state: string; last_reply: string | null }>(engine.pool, 'select state, last_reply from rappel.notice'))[0]
  await until('the first attempt', async () => (await state())?.last_reply != null)
  expect(await troubles().look()).toBe(0)
  await engine.pool.query(`update rappel.notice set attempt = 4, next_at = now() + interval '1 hour'`)
  expect(await troubles().look()).toBe(1)
  await engine.pool.query(`delete from rappel.channel; update rappel.notice set next_at = now(); select pg_notify('rappel_message', '')`)
  await until('the refusal', async () => (await state())?.state === 'failed')
  at += HOUR
  expect(await troubles().look()).toBe(1)
  await engine.pool.query(
    `insert into rappel.hook (name, url, secret, from_xid, upto_xid, attempt, reply, next_at) values ('Books', 'http://127.0.0.1:9/', '', '0', '0', 4, '503 busy', now() + interval '1 hour')`,
  )
  at += HOUR
  expect([await troubles().look(), await troubles().look()]).toEqual([1, 0])
  expect(await told()).toMatchObject([
    { subject: 'Rappel: The channel “Quays” takes no notices', body: expect.stringContaining('One waits and will be given again. It said: The channel') },
    {
      subject: 'Rappel: “Told the quays”: a notice was not given',
      body: expect.stringContaining('It is “A claim came”, to the channel Quays: There is no channel Quays any more.'),
    },
    { subject: 'Rappel: The program “Books” takes no changes', body: expect.stringContaining('It said: 503 busy') },
  ])
})

test('a workflow that cannot do what it says is told once as long as it stands, and again when it comes back', async () => {
  const review = new LiveReview(engine.pool, clock, () => undefined)
  const one = troubles()
  const crew = () => putGroup(engine.pool, 'Crew', [INES], [])
  await crew()
  await goLive(engine, newClaimWorkflow({ name: 'Crew told', actions: [{ name: 'tell', do: 'email', to: [{ group: 'Crew' }], subject: 'S', body: 'B' }] }))
  await removeGroup(engine.pool, 'Crew')
  await review.look()
  expect(await one.look()).toBe(1)
  at += HOUR
  expect([await one.look(), await troubles().look()]).toEqual([0, 0])
  await crew()
  await review.look()
  expect(await one.look()).toBe(0)
  await removeGroup(engine.pool, 'Crew')
  await review.look()
  expect(await one.look()).toBe(1)
  expect(await subjects()).toEqual(['Rappel: “Crew told” cannot do what it says', 'Rappel: “Crew told” cannot do what it says'])
})

test('a table whose changes are not recorded is told', async () => {
  await engine.pool.query('alter table data.claims disable trigger user')
  expect(await troubles().look()).toBe(1)
  expect(await told()).toMatchObject([{ subject: 'Rappel: Claims is not recorded as it should be', body: expect.stringContaining('its triggers were taken away or switched off') }])
})

test('nobody is told of what was mended, let go of, tried, or failed while nobody wanted to know', async () => {
  await failing()
  await work()
  await claims(2)
  await failed(2)
  await engine.pool.query(`update rappel.run set state = 'done' where id = (select min(id) from rappel.run)`)
  await engine.pool.query('delete from rappel.run where id = (select max(id) from rappel.run)')
  expect(await troubles().look()).toBe(0)

  await deactivatePerson(engine.pool, INES, null)
  await claims(1)
  await failed(1)
  expect(await troubles().look()).toBe(0)
  await putPerson(engine.pool, INES, { active: true, role: 'member' })
  expect(await troubles().look()).toBe(0)
  await putPerson(engine.pool, INES, { role: 'editor' })
  expect(await troubles().look()).toBe(0)
  expect(await many(engine.pool, 'select 1 from rappel.trouble')).toEqual([])
  expect(await told()).toEqual([])
})

test('where a copy is to go on without what waited, what waited to be told is called off as well', async () => {
  await failing()
  await work()
  await claims(1)
  await failed(1)
  await wake(engine.pool, 'send', clock())
  expect(await many(engine.pool, 'select 1 from rappel.trouble')).toHaveLength(1)
  await wake(engine.pool, 'call off', clock())
  expect(await troubles().look()).toBe(0)
})

test('a workflow that is deleted before it is told takes its trouble along, and whoever leaves is forgotten', async () => {
  await failing()
  await work()
  await claims(1)
  await failed(1)
  await engine.pool.query('delete from rappel.workflow')
  expect(await troubles().look()).toBe(0)
  await engine.pool.query('delete from rappel.person where id = $1', [people.ines])
  expect(await many(engine.pool, 'select 1 from rappel.told')).toEqual([])
})

test('a channel hears what no mail can tell, that the mail server does not answer, and how much failed; once it has taken it, not again before an hour', async () => {
  const received: { type: string; id: string; data: { title: string; text: string; link: string } }[] = []
  let answers = [503]
  const board = createServer(async (request, response) => {
    let body = ''
    for await (const chunk of request) body += chunk
    const status = answers.shift() ?? 204
    if (status === 204) received.push(JSON.parse(body))
    response.writeHead(status).end()
  })
  await new Promise<void>((resolve) => board.listen(0, '127.0.0.1', resolve))
  try {
    await putChannel(engine.pool, 'Duty', `http://127.0.0.1:${(board.address() as AddressInfo).port}/`, 'a secret')
    const channel = () => new ChannelTroubles(engine.pool, BASE_URL, clock, () => undefined, { gatherMs: 0 })
    await failing()
    await work()
    await claims(1)
    await failed(1)
    expect(await channel().look()).toBe(false) // no channel is told
    at = Date.now()
    expect([await setTroubleChannel(engine.pool, 'Nobody', clock()), await setTroubleChannel(engine.pool, 'Duty', clock())]).toEqual([false, true])
    const one = channel()
    expect(await one.look()).toBe(false) // what failed before is no news to it
    await noteMailState(engine.pool, false, '421 not now', clock())
    await claims(2)
    await failed(3)
    expect(await one.look()).toBe(false) // it did not take it
    expect(await one.look()).toBe(false) // and is let be for a while
    at = Date.now()
    expect(await channel().look()).toBe(true)
    expect(received).toEqual([
      expect.objectContaining({
        type: 'rappel.trouble',
        data: {
          channel: 'Duty',
          workflow: null,
          title: expect.stringMatching(/^Rappel at .*: The mail server does not answer, and 1 more$/),
          text: 'The mail server does not answer: Messages wait, and go as soon as it is back. It said: 421 not now\n\n2 runs failed: They stand on Today, with the reasons',
          link: `${BASE_URL}/`,
        },
      }),
    ])
    await claims(1)
    await failed(4)
    expect(await channel().look()).toBe(false)
    at += HOUR
    expect([await channel().look(), await channel().look()]).toEqual([true, false])
    expect(received[1]?.data.text).toBe('1 run failed: They stand on Today, with the reasons') // the mail server is no news any more
    await noteMailState(engine.pool, true, '250 ok', clock())
    await channel().look()
    await noteMailState(engine.pool, false, '421 again', clock())
    at += HOUR
    expect(await channel().look()).toBe(true)
    await removeChannel(engine.pool, 'Duty')
    expect(await readTroubleChannel(engine.pool)).toBeNull()
    answers = []
  } finally {
    await new Promise((resolve) => board.close(resolve))
  }
})
