import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { Pool } from 'pg'
import pino from 'pino'
import type { WorkerOptions } from '@/engine/worker/options'
import { Worker } from '@/engine/worker/worker'
import { PostRoom } from '@/outside/post-room/post-room'
import { createPool, one } from '@/store/database'
import { migrate } from '@/store/migrate'
import { readAsleep, wake } from '@/store/place'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, until } from '../support/engine'
import { Cluster } from '../support/servers/clusters'
import { freePort } from '../support/servers/ports'
import { Wire } from '../support/servers/wire'

// Copies of a server's disk, as snapshots of volumes, clones and recovery to a point in time make them: nothing in them says that they are copies (PostgreSQL documentation, chapter 26 "Backup and Restore").

/** What may be lost when another server takes over, in this test: what was seen before that counts. */
const MOST_LOST_MS = 800

let home: string
let room: PostRoom
let first: Cluster
let pool: Pool
let ines: number
let workers: Worker[]
beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-copies-'))
  room = await PostRoom.open({ folder: join(home, 'post-room'), smtpPort: 0, httpPort: 0 })
  first = await Cluster.make()
  pool = createPool(first.url())
  workers = []
  await migrate(pool)
  ines = (await makeClaims(pool)).ines
  await goLive({ pool }, newClaimWorkflow())
})
afterEach(async () => {
  await Promise.all(workers.map((worker) => worker.stop()))
  await room.close()
  await pool.end()
  first.remove()
  await rm(home, { recursive: true, force: true })
})

async function startWorker(databaseUrl: string, more: Partial<WorkerOptions> = {}): Promise<Worker> {
  const worker = new Worker({
    databaseUrl,
    smtpUrl: `smtp://127.0.0.1:${room.smtpPort}`,
    isSmtpFixed: true,
    baseUrl: BASE_URL,
    log: pino({ level: 'silent' }),
    mostLost: MOST_LOST_MS,
    ...more,
  })
  workers.push(worker)
  await worker.start()
  return worker
}

/** Copies the disk; some transactions come after it. */
async function saveDisk(): Promise<() => Promise<void>> {
  const putBack = first.saveDisk()
  await isThere()
  for (let i = 0; i < 20; i++) await pool.query('select pg_current_xact_id()')
  return async () => {
    putBack()
    await isThere()
  }
}

/** A connection of before it was stopped says so once. */
const isThere = () =>
  until(
    'the server',
    () =>
      pool.query('select 1').then(
        () => true,
        () => false,
      ),
    20_000,
  )

const add = (amount: number, to: Pool = pool) => to.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, amount])
const sent = () => room.store.list({ limit: 1_000 }).length
const sends = (count: number) => until(`${count} mails`, () => sent() === count, 20_000)
/** What would be sent by now is sent. */
const sendsNoMoreThan = async (count: number) => {
  await pause(2_500)
  expect(sent()).toBe(count)
}

test('a copy of the disk, reached at another address, sends nothing before somebody says so, while the one that it was copied from goes on', async () => {
  await startWorker(first.url())
  await add(1)
  await sends(1)
  const copy = await first.follow()
  const there = createPool(copy.url())
  try {
    copy.promote()
    await until('the copy to take writes', async () => !(await one<{ is: boolean }>(there, 'select pg_is_in_recovery() as is')).is)
    await add(2, there)
    await startWorker(copy.url())
    expect(await readAsleep(there)).toMatchObject({ why: 'elsewhere', raised: 0 })
    await sendsNoMoreThan(1)
    await add(3)
    await sends(2)
    expect(await readAsleep(pool)).toBeNull()
    await wake(there, 'call off', new Date())
    await sends(3) // what was changed there and not decided
    await Promise.all(workers.splice(1).map((worker) => worker.stop()))
    await add(4, there)
    await startWorker(copy.url()) // it is where it was by now
    await sends(4)
  } finally {
    await Promise.all(workers.map((worker) => worker.stop()))
    await there.end()
    copy.remove()
  }
}, 120_000)

test('another address is taken for the same database’s while somebody is at work on it, and known from then on', async () => {
  const port = await freePort()
  const wire = new Wire(port, first.port)
  await wire.start()
  try {
    const straight = await startWorker(first.url())
    const around = await startWorker(first.url().replace(`:${first.port}/`, `:${port}/`))
    await straight.stop()
    await add(1)
    await sends(1)
    await around.stop()
    await startWorker(first.url().replace(`:${first.port}/`, `:${port}/`))
    await add(2)
    await sends(2)
    expect(await readAsleep(pool)).toBeNull()
  } finally {
    await Promise.all(workers.map((worker) => worker.stop()))
    wire.cut()
  }
}, 120_000)

test('a database that is put back to an earlier state under a worker sends nothing again: the worker halts, and those after it wait', async () => {
  await add(1) // not decided when the disk is copied
  const putBack = await saveDisk()
  let halted = 0
  await startWorker(first.url(), { onHalt: () => halted++ })
  await sends(1)
  for (let amount = 2; amount < 5; amount++) await add(amount)
  await sends(4)
  await pause(MOST_LOST_MS + 6_000) // it has looked again since
  await putBack()
  await until('the worker to halt', () => halted > 0, 20_000)
  expect(await readAsleep(pool)).toMatchObject({ why: 'put back' })
  await sendsNoMoreThan(4)
  await startWorker(first.url())
  await add(5)
  await sendsNoMoreThan(4)
  await wake(pool, 'call off', new Date())
  await sends(6) // what was not decided in that state, and what came since
  expect(halted).toBe(1)
}, 120_000)

test('a worker that was stopped meanwhile knows it by its home, once', async () => {
  const putBack = await saveDisk()
  const worker = await startWorker(first.url(), { home })
  await add(1)
  await sends(1)
  await pause(MOST_LOST_MS + 6_000)
  await worker.stop()
  await putBack()
  await add(2)
  const again = await startWorker(first.url(), { home })
  expect(await readAsleep(pool)).toMatchObject({ why: 'put back' })
  await sendsNoMoreThan(1)
  await wake(pool, 'send', new Date())
  await sends(2)
  await again.stop()
  await add(3)
  await startWorker(first.url(), { home })
  await sends(3)
  expect(await readAsleep(pool)).toBeNull()
}, 120_000)
