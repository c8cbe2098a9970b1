import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { DatabaseClock } from '@/engine/database-clock'
import { one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

const HOUR_MS = 3_600_000

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

/** A worker's process on a machine whose clock is off. */
const workerOffBy = (milliseconds: number, part: string) =>
  startWorkerProcess(engine, {
    RAPPEL_WORKER_PART: part,
    TEST_CLOCK_OFF: String(milliseconds),
    NODE_OPTIONS: `--import ${pathToFileURL(join(__dirname, '../support/clock-off.mjs')).href}`,
  })

const told = () =>
  one<{ sent: number; off: number }>(
    engine.pool,
    `select count(*) filter (where state = 'sent')::int as sent,
            coalesce(max(greatest(abs(extract(epoch from created_at - now())), abs(extract(epoch from coalesce(finished_at, now()) - now())))), 0)::float as off from rappel.message`,
  )

test.each([
  ['ahead of', 'mail', HOUR_MS],
  ['behind', 'mail', -HOUR_MS],
  ['ahead of', 'changes', HOUR_MS],
  ['behind', 'changes', -HOUR_MS],
] as const)(
  'a machine whose clock is an hour %s the others’ tells no other time: its %s goes at once',
  async (_, part, off) => {
    const { ines } = await makeClaims(engine.pool)
    await goLive(engine, newClaimWorkflow())
    await engine.startWorker([part === 'mail' ? 'changes' : 'mail'])
    const worker = await workerOffBy(off, part)
    await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
    await until('the mail', async () => (await told()).sent === 1)
    expect((await told()).off).toBeLessThan(60)
    await killed(worker)
  },
  60_000,
)

test('what time it is is what the database says, whatever the machine’s clocks do between two questions', async () => {
  let slept = 0
  const clock = await DatabaseClock.of(engine.pool, () => performance.now() + slept)
  const off = async () => {
    const { at } = await one<{ at: number }>(engine.pool, 'select extract(epoch from clock_timestamp())::float * 1000 as at')
    return Math.abs(clock.now().getTime() - at)
  }
  expect(await off()).toBeLessThan(1_000)
  slept = -HOUR_MS // a machine that was suspended has not counted that time
  expect(await off()).toBeGreaterThan(HOUR_MS - 1_000)
  await clock.ask()
  expect(await off()).toBeLessThan(1_000)
})
