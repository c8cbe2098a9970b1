import { setTimeout as pause } from 'node:timers/promises'
import { Bell } from '@/engine/bell'
import { Sleeper } from '@/engine/worker/sleeper'
import { busyShards } from '@/store/changes'
import { createClient, many, one } from '@/store/database'
import { LOCKS } from '@/store/locks'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'
import { until } from '../support/engine'

/** Commits in all; the proof over a million takes an hour (RAPPEL_COMMITS=1000000). */
const COMMITS = Number(process.env.RAPPEL_COMMITS ?? 3_000)
const WRITERS = 6

/** Far longer than any wake-up: whoever sleeps through it was not woken. */
const FOR_EVER_MS = 20_000

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
  await makeClaims(db.pool)
})
afterEach(() => db.drop())

/** Who looks, takes what is queued off, and sleeps, as a worker does; counts how often it slept for ever. */
function startSleeping(bell = new Bell()) {
  const sleeper = new Sleeper(db.url, bell)
  const listener = createClient(db.url, 'test listener')
  const state = { handled: 0, slept: 0, overslept: 0, notified: 0, ended: false }
  const run = async () => {
    listener.on('notification', () => {
      state.notified++
      bell.ring()
    })
    await listener.connect()
    await listener.query('listen rappel_change')
    while (!state.ended) {
      const { count } = await one<{ count: number }>(db.pool, 'with taken as (delete from rappel.queue returning 1) select count(*) as count from taken')
      state.handled += count
      if (count > 0) {
        sleeper.getUp()
        continue
      }
      sleeper.lieDown()
      const start = performance.now()
      await bell.sleep(FOR_EVER_MS)
      state.slept++
      if (performance.now() - start >= FOR_EVER_MS && (await busyShards(db.pool)).length > 0) state.overslept++
    }
    await sleeper.end()
    await listener.end()
  }
  const running = run()
  const stop = async () => {
    state.ended = true
    bell.ring()
    await running
  }
  return { state, stop, sleeper }
}

test('no commit is slept through, however writers and sleeper meet', async () => {
  const { state, stop } = startSleeping()
  let seed = 7
  const jitter = () => {
    seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648
    return seed / 2_147_483_648
  }
  const writer = async (commits: number) => {
    const client = createClient(db.url, 'test writer')
    await client.connect()
    for (let i = 0; i < commits; i++) {
      await client.query('begin')
      await client.query('insert into data.claims (amount) values (1)')
      if (jitter() < 0.3) await pause(jitter() * 4)
      await client.query(jitter() < 0.05 ? 'rollback' : 'commit')
      if (jitter() < 0.3) await pause(jitter() * 6)
    }
    await client.end()
  }
  await Promise.all(Array.from({ length: WRITERS }, () => writer(Math.ceil(COMMITS / WRITERS))))
  const { made } = await one<{ made: number }>(db.pool, 'select count(*) as made from data.claims')
  await until('all to be handled', () => state.handled === made, 2 * FOR_EVER_MS)
  await stop()
  expect(state.overslept).toBe(0)
  expect(state.slept).toBeGreaterThan(0)
}, 4_000_000)

test('writers tell nobody while everybody is up, and the sleeper at once when it sleeps', async () => {
  const client = createClient(db.url, 'test listener')
  let told = 0
  client.on('notification', () => told++)
  await client.connect()
  await client.query('listen rappel_change')
  for (let i = 0; i < 20; i++) await db.pool.query('insert into data.claims (amount) values (1)')
  await client.query('select 1')
  expect(told).toBe(0)
  const { state, stop } = startSleeping()
  await until('the sleeper to have slept', () => state.handled === 20)
  await until(
    'it to sleep on the lock',
    async () => (await many(db.pool, `select 1 from pg_locks where locktype = 'advisory' and objid = ${LOCKS.sleep} and granted`)).length === 1,
  )
  const start = performance.now()
  await db.pool.query('insert into data.claims (amount) values (1)')
  await until('it to be woken', () => state.handled === 21)
  expect(performance.now() - start).toBeLessThan(FOR_EVER_MS / 2)
  await stop()
  await client.end()
}, 60_000)

test('a writer that stays open keeps nobody from being woken by the others, and is seen when it ends', async () => {
  const writer = createClient(db.url, 'test writer')
  await writer.connect()
  await writer.query('begin')
  await writer.query('insert into data.claims (amount) values (1)')
  const { state, stop } = startSleeping()
  await until(
    'the sleeper to wait for the lock',
    async () => (await many(db.pool, `select 1 from pg_locks where locktype = 'advisory' and objid = ${LOCKS.sleep} and not granted`)).length === 1,
  )
  await db.pool.query('insert into data.claims (amount) values (2)')
  await until('the other’s change', () => state.handled === 1)
  await writer.query('commit')
  await until('its own', () => state.handled === 2)
  await stop()
  await writer.end()
}, 60_000)

test('of several sleepers one has the lock; when it is gone, another takes its place', async () => {
  const [first, second] = [startSleeping(), startSleeping()]
  await until('one to watch', () => first.sleeper.wakesOthers() || second.sleeper.wakesOthers())
  const [watchman, other] = first.sleeper.wakesOthers() ? [first, second] : [second, first]
  await watchman.stop()
  other.sleeper.lieDown()
  await until('the other to watch', () => {
    other.sleeper.lieDown()
    return other.sleeper.wakesOthers()
  })
  await db.pool.query('insert into data.claims (amount) values (1)')
  await until('the change', () => other.state.handled === 1)
  await other.stop()
}, 60_000)
