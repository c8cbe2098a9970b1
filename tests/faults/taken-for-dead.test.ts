import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

const MAILS = 40

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

test('a worker that loses its sign of life and is taken for dead registers again, and what it sends comes to an end', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { delayMs: 30 }
  const worker = await startWorkerProcess(engine)
  const { id } = await one<{ id: number }>(engine.pool, 'select id from rappel.worker')
  await engine.pool.query('insert into data.claims (owner) select $1 from generate_series(1, $2::int)', [ines, MAILS])
  await until('some mail to be under way', async () => (await many(engine.pool, `select from rappel.message where state = 'sending'`)).length > 0)
  // its listening connection breaks, and another buries it before it is back
  await engine.pool.query(`select pg_terminate_backend(pid) from pg_locks where locktype = 'advisory' and classid = 4170 and objid = $1`, [id])
  await engine.pool.query(
    'with gone as (delete from rappel.worker where id = $1 returning id) update rappel.message m set state = $2, worker = null from gone where m.worker = gone.id',
    [id, 'queued'],
  )
  await until('all mail to be done with', async () => (await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state = 'sent'`)).n === MAILS)
  expect(await one(engine.pool, 'select max(attempt) <= 3 as few from rappel.message')).toEqual({ few: true })
  const [again] = await many<{ id: number }>(engine.pool, 'select id from rappel.worker')
  expect(again?.id).not.toBe(id)
  await killed(worker)
}, 90_000)
