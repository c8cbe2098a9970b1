import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { startWorkerProcess } from '../support/worker-process'

const ROUNDS = 5

let engine: Engine
beforeAll(async () => {
  engine = await startEngine()
})
afterAll(() => engine.stop())

test('workers that are restarted one after the other, a new one before each old one is told to stop, lose and double nothing, and no attempt is cut off', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { delayMs: 20 }
  let made = 0
  let isOn = true
  const writing = (async () => {
    while (isOn) {
      await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
      made++
      await new Promise((resolve) => setTimeout(resolve, 15))
    }
  })()
  let worker = await startWorkerProcess(engine)
  for (let i = 0; i < ROUNDS; i++) {
    const next = await startWorkerProcess(engine)
    const ended = new Promise<number | null>((resolve) => worker.once('exit', (code) => resolve(code)))
    worker.kill('SIGTERM')
    expect(await ended).toBe(0)
    worker = next
  }
  isOn = false
  await writing
  const sent = () => one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state = 'sent'`)
  await until('all mail', async () => (await sent()).n === made, 120_000)
  expect(engine.room.store.list({ limit: 100_000 })).toHaveLength(made)
  expect(await many(engine.pool, `select outcome, count(*)::int as n from rappel.delivery_attempt group by 1`)).toEqual([{ outcome: 'sent', n: made }])
  const last = new Promise((resolve) => worker.once('exit', resolve))
  worker.kill('SIGTERM')
  await last
}, 400_000)
