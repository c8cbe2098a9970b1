import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

/** How often a worker is killed; RAPPEL_KILLS asks for more. */
const KILLS = Number(process.env.RAPPEL_KILLS ?? 8)
const CLAIMS_A_KILL = 20

let engine: Engine
beforeAll(async () => {
  engine = await startEngine()
})
afterAll(() => engine.stop())

test('kill -9 at any moment loses no alert and doubles none but with the same Message-ID', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { delayMs: 15 }
  let made = 0
  let worker = await startWorkerProcess(engine)
  for (let i = 0; i < KILLS; i++) {
    for (let n = 0; n < CLAIMS_A_KILL; n++) await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
    made += CLAIMS_A_KILL
    await new Promise((resolve) => setTimeout(resolve, Math.random() * 300))
    await killed(worker)
    worker = await startWorkerProcess(engine)
  }
  await until(
    'every message to be marked sent',
    async () => (await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.message where state = 'sent'`)).n === made,
    60_000,
  )
  const sources = await Promise.all(engine.room.store.list({}).map(async ({ id }) => (await engine.room.store.source(id)).toString()))
  const arrived = sources.map((s) => /^Message-ID: (.*)\r$/m.exec(s)?.[1] as string)
  const queued = (await many<{ message_id: string }>(engine.pool, 'select message_id from rappel.message')).map((r) => r.message_id)
  expect(queued).toHaveLength(made)
  expect(new Set(arrived)).toEqual(new Set(queued))
  expect((await one<{ n: number }>(engine.pool, 'select count(*) as n from rappel.run')).n).toBe(made)
  expect(await many(engine.pool, 'select 1 from rappel.queue')).toEqual([])
  worker.kill('SIGTERM')
  await new Promise((resolve) => worker.once('exit', resolve))
}, 400_000)
