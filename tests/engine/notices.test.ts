import { createHmac } from 'node:crypto'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { giveNotices } from '@/engine/delivery/notices'
import { many, maybeOne } from '@/store/database'
import { noticesFor, noticesOfRun, putChannel } from '@/store/notices'
import { makeBoats, tripWorkflow } from '../support/boats'
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
  expect(await noticesFor(engine.pool, keeper, 5)).toEqual([expect.objectContaining({ title: 'TR-01 <off>', channel: 'Quays' })])
  expect(await noticesOfRun(engine.pool, (await notice())?.run as number)).toEqual([expect.objectContaining({ people: ['Kit Keeper'], state: 'sent' })])
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
  expect((await notice())?.state).toBe('queued')
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
