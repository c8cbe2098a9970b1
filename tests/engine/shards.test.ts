import type { ChildProcess } from 'node:child_process'
import { many, one } from '@/store/database'
import { readShards, SHARDS, setShards } from '@/store/shards'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

let engine: Engine
let owner: number
const workers: ChildProcess[] = []
beforeEach(async () => {
  engine = await startEngine()
  owner = (await makeClaims(engine.pool)).ines
})
afterEach(async () => {
  await Promise.all(workers.splice(0).map(killed))
  await engine.stop()
})

const count = async (what: string) => (await one<{ n: number }>(engine.pool, `select count(*)::int as n from ${what}`)).n
const insert = (amount: number) => engine.pool.query('insert into data.claims (owner, amount) select $1, $2 from generate_series(1, 40)', [owner, amount])

test('the shard of a record is what it was where there are sixteen, and never that of another number', async () => {
  const rows = await many<{ n: number; rec: string; shard: number; with: number; old: number }>(
    engine.pool,
    `select n, rec::text, rappel.place_of('claims', rec, n) as shard, rappel.shards_with(rappel.place_of('claims', rec, n)) as "with", (hashint8(rec) # hashtext('claims')) & 15 as old
       from unnest($1::int[]) n, generate_series(1::bigint, 300) rec`,
    [SHARDS],
  )
  for (const row of rows) expect(row.with).toBe(row.n)
  for (const row of rows.filter((r) => r.n === 16)) expect(row.shard).toBe(row.old)
  for (const n of SHARDS) {
    const used = new Set(rows.filter((r) => r.n === n).map((r) => r.shard))
    expect(used.size).toBeGreaterThan(Math.min(n, 300) * 0.6)
  }
})

test('another number of shards under traffic: every change is decided about once, and those of a record in order', async () => {
  await insert(0)
  await goLive(
    engine,
    newClaimWorkflow({
      cue: { kind: 'record', on: ['changed'] },
      conditions: { field: 'amount', op: 'changed' },
    }),
  )
  workers.push(await startWorkerProcess(engine), await startWorkerProcess(engine))
  let isOn = true
  const writer = async (write: () => Promise<unknown>) => {
    while (isOn) await write()
  }
  const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
  const late = async () => {
    const client = await engine.pool.connect()
    await client.query('begin')
    await client.query('update data.claims set amount = amount + 1 where id = 40')
    await new Promise((resolve) => setTimeout(resolve, 700))
    await client.query('update data.claims set amount = amount + 1 where id = 39')
    await client.query('commit')
    client.release()
  }
  const writing = [
    writer(() => engine.pool.query('update data.claims set amount = amount + 1 where id = (select 1 + floor(random() * 38)::int)').then(() => pause(5))),
    writer(() => engine.pool.query('update data.claims set amount = amount + 1 where id < 30').then(() => pause(150))),
    writer(late),
  ]
  const set: number[] = []
  for (const n of [64, 16, 1_024, 32] as const) {
    await until(`${n} shards`, async () => (await setShards(engine.pool, n)) === 'set')
    set.push(await readShards(engine.pool))
    await new Promise((resolve) => setTimeout(resolve, 1_000))
  }
  isOn = false
  await Promise.all(writing)
  expect(set).toEqual([64, 16, 1_024, 32])
  await until('the queue to be empty', async () => (await count('rappel.queue')) === 0)
  const net = `(select rec, xid, max(id) as id from rappel.change where tbl = 'claims' and kind = 'changed' and 'amount' = any(changed) group by rec, xid)`
  expect(await count(`rappel.run`)).toBe(await count(`${net} c`))
  expect(await many(engine.pool, `select c.id from ${net} c where not exists (select from rappel.run r where r.change_id = c.id)`)).toEqual([])
  expect(
    await many(engine.pool, `select id from (select id, change_id, lag(change_id) over (partition by rec order by id) as before from rappel.run) r where before > change_id`),
  ).toEqual([])
  expect(await count('rappel.run where change_id is not null')).toBeGreaterThan(400)
})

test('the number is not changed again before what may come by the one before is over, and nothing is handled before it', async () => {
  await goLive(engine, newClaimWorkflow())
  const slow = await engine.pool.connect()
  await slow.query('begin')
  await slow.query('insert into data.claims (owner, amount) values ($1, 1)', [owner])
  expect(await setShards(engine.pool, 64)).toBe('set')
  expect(await setShards(engine.pool, 64)).toBe('same')
  expect(await setShards(engine.pool, 128)).toBe('not through')
  await insert(2)
  await slow.query('commit')
  slow.release()
  expect(await setShards(engine.pool, 128)).toBe('not through')
  const [first] = await many<{ shard: number }>(engine.pool, 'select shard from rappel.queue where shard < 16')
  expect(first).toBeDefined()
  workers.push(await startWorkerProcess(engine))
  await until('the queue to be empty', async () => (await count('rappel.queue')) === 0)
  expect(await count('rappel.run')).toBe(41)
  // A transaction that anybody on the server still has open may be older than the number before.
  await until('the number to be changed again', async () => (await setShards(engine.pool, 128)) === 'set')
})
