import { createHmac } from 'node:crypto'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { giveNotices } from '@/engine/delivery/notices'
import { many, maybeOne } from '@/store/database'
import { cancelNotice, countUnread, listDeafChannels, listNotices, readNotices, retryNotice } from '@/store/notice-log'
import { putChannel } from '@/store/notices'
import { listRuns } from '@/store/runs'
import { listFailed, readTally, tallyWorkflows } from '@/store/today'
import { KEEPER, makeBoats, tripWorkflow } from '../support/boats'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

const SECRET = 'a secret of the quays'

let engine: Engine
let keeper: number
let board: Server
let answers: number[]
let received: { headers: IncomingMessage['headers']; body: string }[]

beforeEach(async () => {
  engine = await startEngine()
  keeper = (await makeBoats(engine.pool)).keeper
  answers = []
  received = []
  board = createServer(async (request, response) => {
    let body = ''
    for await (const chunk of request) body += chunk
    received.push({ headers: request.headers, body })
    response.writeHead(answers.shift() ?? 202).end()
  })
  await new Promise<void>((resolve) => board.listen(0, '127.0.0.1', resolve))
  await putChannel(engine.pool, 'Quays', `http://127.0.0.1:${(board.address() as AddressInfo).port}/quays`, SECRET)
})
afterEach(async () => {
  await new Promise((resolve) => board.close(resolve))
  await engine.stop()
})

async function cancelTrip(): Promise<void> {
  await goLive(
    engine,
    tripWorkflow({ actions: [{ name: 'say', do: 'notice', channel: 'Quays', to: [{ field: 'boat.keeper' }], title: '{{ trip.number }} <off>', text: 'On *{{ trip.boat }}*' }] }),
  )
  await engine.startWorker()
  await engine.pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
}

const notice = () =>
  maybeOne<{ id: number; run: number; state: string; attempt: number; last_reply: string; wait: number }>(
    engine.pool,
    'select id, run, state, attempt, last_reply, extract(epoch from next_at - now())::int as wait from rappel.notice',
  )

const mine = (more: { unread?: boolean } = {}) => listNotices(engine.pool, { me: keeper, mine: true, limit: 5, ...more })
const ALL = new Date(0)

// Source: CloudEvents specification 1.0.2, "Required attributes" and JSON event format section 3; HTTP protocol binding section 3.2 (structured mode). From memory.
test('a notice is posted as a signed CloudEvents event, and shown to the people it is for', async () => {
  await cancelTrip()
  const [post] = await until('the post', () => (received.length ? received : null))
  const event = JSON.parse(post?.body as string)
  expect(post?.headers['content-type']).toBe('application/cloudevents+json; charset=utf-8')
  expect(post?.headers['x-rappel-signature']).toBe(
    `sha256=${createHmac('sha256', SECRET)
      .update(post?.body as string)
      .digest('hex')}`,
  )
  expect(event).toMatchObject({
    specversion: '1.0',
    id: expect.stringMatching(/^[0-9a-f-]{36}$/),
    source: BASE_URL,
    type: 'rappel.notice',
    time: expect.stringMatching(/^\d{4}-\d\d-\d\dT/),
    data: { channel: 'Quays', title: 'TR-01 <off>', text: 'On *Gull*', workflow: 'Cancelled trip', link: `${BASE_URL}/records/trips/1` },
  })
  await until('it to be marked', async () => (await notice())?.state === 'sent')
  const runs = [(await notice())?.run as number]
  expect(await mine()).toEqual([expect.objectContaining({ title: 'TR-01 <off>', channel: 'Quays', unread: true, table: 'trips', record: 1 })])
  expect(await listNotices(engine.pool, { runs, me: null, limit: 5 })).toEqual([
    expect.objectContaining({ people: [{ name: 'Kit Keeper', read: false }], state: 'sent', unread: false }),
  ])
})

test('a channel that errs is tried again later under the same id; one that refuses is not', async () => {
  answers = [503, 410]
  await cancelTrip()
  await until('the first attempt', async () => (await notice())?.last_reply?.startsWith('503'))
  expect((await notice())?.wait).toBeGreaterThan(20)
  await engine.pool.query('update rappel.notice set next_at = now()')
  await until('the second attempt', async () => (await notice())?.state === 'failed')
  expect(await notice())?.toMatchObject({ attempt: 2, last_reply: '410 Gone' })
  expect(new Set(received.map((r) => JSON.parse(r.body).id)).size).toBe(1)
})

test('a channel that is gone, or that cannot be reached, is said in words', async () => {
  await putChannel(engine.pool, 'Quays', 'http://127.0.0.1:9/nobody', SECRET)
  await cancelTrip()
  await until('the attempt', async () => (await notice())?.last_reply?.startsWith('The channel’s address') || (await notice())?.last_reply?.startsWith("The channel's address"))
  expect(await notice()).toMatchObject({ state: 'queued', last_reply: expect.not.stringContaining('fetch failed') })
  await engine.pool.query(`delete from rappel.channel; update rappel.notice set next_at = now() - interval '1 second'`)
  await until('the end', async () => {
    await giveNotices(engine.pool, BASE_URL, () => new Date())
    return (await notice())?.state === 'failed'
  })
  expect((await notice())?.last_reply).toBe('There is no channel Quays any more.')
  expect(await many(engine.pool, 'select 1 from rappel.notice')).toHaveLength(1)
})

test('a channel that does not answer holds up its own notices alone', async () => {
  const deaf = createServer(() => undefined)
  await new Promise<void>((resolve) => deaf.listen(0, '127.0.0.1', resolve))
  await putChannel(engine.pool, 'Deaf', `http://127.0.0.1:${(deaf.address() as AddressInfo).port}/`, SECRET)
  await cancelTrip()
  await until('the first', async () => (await notice())?.state === 'sent')
  const queue = (channel: string, count: number, ago: string) =>
    engine.pool.query(
      `insert into rappel.notice (run, workflow, channel, title, body, state, next_at, created_at)
       select run, workflow, $1, 'T', '', 'queued', now() - $3::interval, now() from (select * from rappel.notice limit 1) n, generate_series(1, $2::int)`,
      [channel, count, ago],
    )
  await queue('Deaf', 60, '1 minute')
  await queue('Quays', 20, '1 second')
  await until('those of the other channel', () => received.length === 21)
  const [{ tried } = { tried: 0 }] = await many<{ tried: number }>(engine.pool, `select count(*)::int as tried from rappel.notice where channel = 'Deaf' and attempt > 0`)
  expect(tried).toBeGreaterThan(0)
  expect(tried).toBeLessThan(40)
  deaf.closeAllConnections()
  await new Promise((resolve) => deaf.close(resolve))
})

test('a notice that a channel refused stands on Today, with its run and its workflow, until somebody gives it again', async () => {
  answers = [404]
  await cancelTrip()
  await until('the refusal', async () => (await notice())?.state === 'failed')
  const { id, run } = (await notice()) as { id: number; run: number }
  expect(await listFailed(engine.pool, ALL, 5)).toEqual([
    expect.objectContaining({ run, notice: id, message: null, workflow: 'Cancelled trip', title: 'TR-01 <off>', reason: 'Quays: 404 Not Found' }),
  ])
  expect(await readTally(engine.pool, ALL)).toMatchObject({ failed: 1, notices: 0 })
  expect((await tallyWorkflows(engine.pool, ALL)).map((w) => w.failed)).toEqual([1])
  expect((await listRuns(engine.pool, { state: 'failed', limit: 5 })).map((r) => [r.id, r.state])).toEqual([[run, 'notice failed']])
  expect(await listRuns(engine.pool, { state: 'done', limit: 5 })).toEqual([])
  expect(await cancelNotice(engine.pool, id, new Date())).toBe(false)
  expect([await retryNotice(engine.pool, id, new Date()), await retryNotice(engine.pool, id, new Date())]).toEqual([true, false])
  await until('it to be given', async () => (await notice())?.state === 'sent')
  expect(await readTally(engine.pool, ALL)).toMatchObject({ failed: 0 })
  expect((await listRuns(engine.pool, { state: 'done', limit: 5 })).map((r) => r.state)).toEqual(['done'])
})

test('a channel that errs is told of while notices wait for it, and one that waits can be called off', async () => {
  answers = [503]
  await cancelTrip()
  await until('the first attempt', async () => (await notice())?.last_reply != null)
  const { id, run } = (await notice()) as { id: number; run: number }
  expect(await listDeafChannels(engine.pool, 1, 5)).toEqual([expect.objectContaining({ channel: 'Quays', notices: 1, attempts: 1, reply: '503 Service Unavailable' })])
  expect(await listDeafChannels(engine.pool, 2, 5)).toEqual([])
  expect(await readTally(engine.pool, ALL)).toMatchObject({ failed: 0, notices: 1 })
  expect((await listRuns(engine.pool, { state: 'waiting', limit: 5 })).map((r) => [r.id, r.state])).toEqual([[run, 'notice waiting']])
  expect(await mine()).toHaveLength(1) // the people it is for need not wait for the channel
  expect(await cancelNotice(engine.pool, id, new Date())).toBe(true)
  expect((await notice())?.state).toBe('cancelled')
  expect(await mine()).toEqual([])
  expect(received).toHaveLength(1)
})

test('what was held for long, or waited for a worker, is tried as long as anything else', async () => {
  answers = [503]
  await goLive(engine, tripWorkflow({ actions: [{ name: 'say', do: 'notice', channel: 'Quays', text: 'Off' }] }))
  await engine.startWorker(['changes'])
  await engine.pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  await until('it to be handled', async () => (await notice()) !== null)
  await engine.pool.query(`update rappel.notice set created_at = now() - interval '3 days'`)
  expect(await giveNotices(engine.pool, BASE_URL, () => new Date())).toBe(1)
  expect(await notice()).toMatchObject({ state: 'queued', last_reply: '503 Service Unavailable' })
  answers = [503]
  expect(await giveNotices(engine.pool, BASE_URL, () => new Date(Date.now() + 25 * 3_600_000))).toBe(1)
  expect((await notice())?.state).toBe('failed')
})

test('notices for people are theirs to read: once each, all at once, and no other’s', async () => {
  await goLive(engine, tripWorkflow({ actions: [{ name: 'say', do: 'notice', to: [{ field: 'boat.keeper' }], text: 'Off' }] }))
  await engine.startWorker()
  await engine.pool.query('insert into data.trips (id, boat) select 100 + g, boat from data.trips, generate_series(1, 3) g where boat is not null')
  await engine.pool.query(`update data.trips set state = 'Cancelled'`)
  const count = () => countUnread(engine.pool, keeper, 100)
  const all = (await many<{ id: number }>(engine.pool, 'select id from data.trips where boat is not null')).length
  await until('all of them', async () => (await count()) === all)
  expect(all).toBeGreaterThan(1)
  expect(await countUnread(engine.pool, keeper, 1)).toBe(1)
  const [newest] = await mine()
  const [other] = await many<{ id: number }>(engine.pool, `insert into rappel.person (name, email, role) values ('Else', 'else@x.example', 'member') returning id`)
  expect(await readNotices(engine.pool, other?.id as number, null, new Date())).toBe(0)
  expect(await readNotices(engine.pool, keeper, [newest?.id as number, 999_999], new Date())).toBe(1)
  expect(await readNotices(engine.pool, keeper, [newest?.id as number], new Date())).toBe(0)
  expect(await count()).toBe(all - 1)
  expect((await mine({ unread: true })).map((n) => n.id)).not.toContain(newest?.id)
  expect((await mine()).find((n) => n.id === newest?.id)).toMatchObject({ unread: false, people: [{ name: 'Kit Keeper', read: true }] })
  await engine.pool.query(`update rappel.notice set state = 'held' where id = (select min(id) from rappel.notice)`)
  expect(await readNotices(engine.pool, keeper, null, new Date())).toBe(all - 2) // what is held is not before anybody yet
  expect(await mine({ unread: true })).toEqual([])
})

test('notices about one record come to a channel one after the other, in their order; those about others do not wait for them', async () => {
  answers = [503]
  await goLive(
    engine,
    tripWorkflow({
      firing: 'every',
      cue: { kind: 'record', on: ['created', 'changed'] },
      conditions: undefined,
      actions: [{ name: 'say', do: 'notice', channel: 'Quays', text: '{{ trip.number }} {{ trip.state }}' }],
    }),
  )
  await engine.startWorker(['changes'])
  const texts = () => received.map((post) => JSON.parse(post.body).data.text)
  const give = () => giveNotices(engine.pool, BASE_URL, () => new Date())
  await engine.pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  await until('the first', async () => (await notice()) !== null)
  await give()
  await engine.pool.query(`update data.trips set state = 'Planned' where id = 1`)
  await engine.pool.query(`insert into data.trips (id, number, boat) select 101, 'TR-77', boat from data.trips where id = 1`)
  await until('the others', async () => (await many(engine.pool, 'select 1 from rappel.notice')).length === 3)
  await give()
  expect(texts()).toEqual(['TR-01 Cancelled', 'TR-77 Planned'])
  expect(await give()).toBe(0)
  const behind = () => many<{ id: number; waits: boolean }>(engine.pool, `select id, next_at > now() as waits from rappel.notice where state = 'queued' and body = 'TR-01 Planned'`)
  answers = [503]
  await engine.pool.query(`update rappel.notice set next_at = now() - interval '1 second' where state = 'queued'`)
  expect(await give()).toBe(1)
  expect(await behind()).toMatchObject([{ waits: true }]) // as long as the one before it
  await engine.pool.query(`update rappel.notice set next_at = now() - interval '1 second' where state = 'queued'`)
  expect([await give(), await give()]).toEqual([1, 1])
  expect(texts().slice(2)).toEqual(['TR-01 Cancelled', 'TR-01 Cancelled', 'TR-01 Planned'])

  answers = [503]
  for (const state of ['Cancelled', 'Planned']) await engine.pool.query(`update data.trips set state = $1 where id = 1`, [state])
  await until('two more', async () => (await many(engine.pool, `select 1 from rappel.notice where state = 'queued'`)).length === 2)
  await give()
  const [first] = await many<{ id: number }>(engine.pool, `select min(id) as id from rappel.notice where state = 'queued'`)
  expect(await behind()).toMatchObject([{ waits: true }])
  await cancelNotice(engine.pool, first?.id as number, new Date())
  expect(await give()).toBe(1) // it is called off, so the next goes at once
})

test('a notice to an address is for the person who has it, also where mail to it came back; whoever is not here is left out with a note', async () => {
  await engine.pool.query(`insert into rappel.suppression (address, reason, at) values ($1, '550', now())`, [KEEPER])
  await goLive(engine, tripWorkflow({ actions: [{ name: 'say', do: 'notice', to: [{ address: KEEPER.toUpperCase() }, { address: 'out@x.example' }], text: 'Off' }] }))
  await engine.startWorker()
  await engine.pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  await until('the notice', async () => (await countUnread(engine.pool, keeper, 5)) === 1)
  expect(await many(engine.pool, `select trace -> 'notes' as notes from rappel.run`)).toEqual([
    { notes: [expect.objectContaining({ code: 'not here', path: '/actions/0/to/1', message: 'out@x.example is nobody who is here, so the notice is not shown to them.' })] },
  ])
})
