import { createHmac } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { many } from '@/store/database'
import { listHooks, putHook } from '@/store/hooks'
import { makeClaims } from '../support/claims'
import { type Engine, startEngine, until } from '../support/engine'

/** Programs elsewhere are told of every change, at least once, those of one record in order. */

interface Event {
  readonly specversion: string
  readonly id: string
  readonly type: string
  readonly subject: string
  readonly data: { readonly id: number; readonly record: number; readonly kind: string; readonly after: { readonly amount: number } | null }
}

const SECRET = 'a secret of some length'
let engine: Engine
let server: Server
let url: string
let told: Event[]
let answer: () => number
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  told = []
  answer = () => 204
  server = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      const body = Buffer.concat(chunks)
      const isSigned = request.headers['x-rappel-signature'] === `sha256=${createHmac('sha256', SECRET).update(body).digest('hex')}`
      const status = isSigned && request.headers['content-type']?.startsWith('application/cloudevents-batch+json') ? answer() : 400
      if (status < 300) told.push(...(JSON.parse(body.toString()) as Event[]))
      response.writeHead(status).end()
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/hook`
})
afterEach(async () => {
  await engine.stop()
  await new Promise((resolve) => server.close(resolve))
})

const hook = (after: number | null = null, tables: string[] | null = null) => putHook(engine.pool, { name: 'stock', url, secret: SECRET, tables, after }, null)
const insert = (n: number) => engine.pool.query('insert into data.claims (amount) select g from generate_series(1, $1::int) g', [n])

// Source: CloudEvents 1.0.2, section 3.1 (required attributes), and its JSON format, section 4 (batches).
test('changes from now on are told as signed events; those that commit late are not left out', async () => {
  const older = await engine.pool.connect() // is under way all along, so that little is certain to be over
  await older.query('begin; select pg_current_xact_id()')
  await insert(3)
  await hook()
  await older.query('commit')
  older.release()
  const late = await engine.pool.connect()
  await late.query('begin')
  await late.query('insert into data.claims (amount) values (100)')
  await insert(2)
  await engine.startWorker()
  await new Promise((resolve) => setTimeout(resolve, 1_500))
  await late.query('commit')
  late.release()
  await insert(1)
  await until('every change', () => told.length === 4)
  expect(told.map((e) => e.data.after?.amount).sort((a = 0, b = 0) => a - b)).toEqual([1, 1, 2, 100])
  expect(told[0]).toMatchObject({ specversion: '1.0', type: 'rappel.record.created', subject: expect.stringMatching(/^records\/claims\/\d+$/), id: expect.stringMatching(/^\d+$/) })
  expect(await many(engine.pool, 'select secret from rappel.hook')).toEqual([{ secret: expect.stringMatching(/^sealed:/) }])
})

test('one that does not answer is told later, in order, and nothing is lost; one that comes back goes on after an id', async () => {
  let refusals = 0
  answer = () => (refusals++ < 2 ? 503 : 204)
  await hook()
  await engine.startWorker()
  await insert(1)
  for (let i = 2; i <= 5; i++) await engine.pool.query('update data.claims set amount = $1', [i])
  await until('a refusal', async () => (await listHooks(engine.pool))[0]?.reply?.startsWith('503') ?? false)
  await until('every change', async () => {
    await engine.pool.query('update rappel.hook set next_at = now() where attempt > 0')
    return told.length >= 5
  })
  expect(told.map((e) => e.data.after?.amount)).toEqual([1, 2, 3, 4, 5])
  await until('rest', async () => (await listHooks(engine.pool))[0]?.attempt === 0)
  const third = told[2]?.data.id as number
  told = []
  await hook(third)
  await until('those after it', () => told.length >= 2)
  expect(told.map((e) => e.data.after?.amount)).toEqual([4, 5])
})

test('of many changes each is told once where nothing fails, those of other tables are not told', async () => {
  await hook(null, ['claims'])
  await engine.startWorker()
  await engine.startWorker()
  await engine.pool.query('create table data.other (id bigint primary key)')
  for (let i = 0; i < 5; i++) await insert(130)
  await until('every change', () => told.length >= 650)
  await new Promise((resolve) => setTimeout(resolve, 600))
  expect([told.length, new Set(told.map((e) => e.id)).size]).toEqual([650, 650])
  expect(told.every((e) => e.subject.startsWith('records/claims/'))).toBe(true)
})
