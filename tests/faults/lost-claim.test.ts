import type { Pool } from 'pg'
import { Delivery } from '@/engine/delivery/deliver'
import { createTransport } from '@/engine/delivery/server'
import { oneWay } from '@/engine/delivery/way'
import { many } from '@/store/database'
import { registerWorker } from '@/store/workers'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

/** A pool to which the database does as it is told, and whose answer to the next claim is lost, as where a network goes between the two. */
function losing(pool: Pool, whether: () => boolean): Pool {
  const query = async (statement: { name?: string }, values?: unknown[]) => {
    const answer = await pool.query(statement as never, values as never)
    if (statement.name?.startsWith('claim') && whether()) throw Object.assign(new Error('Connection terminated unexpectedly'), { code: 'ECONNRESET' })
    return answer
  }
  return new Proxy(pool, { get: (target, key) => (key === 'query' ? query : Reflect.get(target, key, target)) })
}

test('messages that were claimed, and of which the answer was lost on its way, are sent by the same worker, once', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker(['changes'])
  await engine.pool.query('insert into data.claims (owner) select $1 from generate_series(1, 5)', [ines])
  await until('the messages', async () => (await many(engine.pool, 'select from rappel.message')).length === 5)
  const worker = await registerWorker(engine.pool, 'test', process.pid)
  const transport = createTransport(`smtp://127.0.0.1:${engine.room.smtpPort}`, 3, 5_000)
  let loses = true
  const pool = losing(engine.pool, () => loses)
  const delivery = new Delivery(
    pool,
    oneWay(transport),
    () => worker,
    () => new Date(Date.now() + 1_000),
  )
  await expect(delivery.pump()).rejects.toThrow('terminated')
  const states = () => many(engine.pool, 'select state, worker, count(*)::int as n from rappel.message group by 1, 2')
  expect(await states()).toEqual([{ state: 'sending', worker, n: 5 }])
  loses = false
  while (await delivery.pump());
  await delivery.settle()
  transport.close()
  expect(await states()).toEqual([{ state: 'sent', worker: null, n: 5 }])
  expect(engine.room.store.list({})).toHaveLength(5)
})
