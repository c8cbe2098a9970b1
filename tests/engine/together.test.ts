import { Dispatcher } from '@/engine/dispatch'
import { forgetOldAttempts, noteAttempt, noteFirstAttempts } from '@/store/attempts'
import { busyShards } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { LOCKS } from '@/store/locks'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'

/** More than are handled in one transaction where little waits. */
const CHANGES = 70

let db: Awaited<ReturnType<typeof freshDatabase>>
let said: string[]
let dispatcher: Dispatcher
beforeEach(async () => {
  db = await freshDatabase()
  said = []
  dispatcher = new Dispatcher(
    db.pool,
    BASE_URL,
    () => new Date(),
    (what) => said.push(what),
  )
  const { ines } = await makeClaims(db.pool)
  await goLive({ pool: db.pool }, newClaimWorkflow())
  for (let i = 0; i < CHANGES; i++) await db.pool.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, i])
})
afterEach(() => db.drop())

const runs = async () => (await one<{ n: number }>(db.pool, 'select count(*) as n from rappel.run')).n
const tries = async () => new Map((await many<{ shard: number; tries: number }>(db.pool, 'select shard, tries from rappel.tried')).map((a) => [a.shard, a.tries]))

/** Handles what waits, round by round; how many changes each of a round's transactions handled. */
async function handleAll(but: number | null = null): Promise<number[][]> {
  const rounds: number[][] = []
  for (;;) {
    const busy = (await dispatcher.busyShards()).filter((shard) => shard !== but)
    if (busy.length === 0) return rounds
    const told: number[] = []
    await dispatcher.handleShards(busy, undefined, (done) => told.push(done.changes))
    rounds.push(told)
  }
}

test('changes of all shards are handled in one transaction, and where that leaves some in a few, each once', async () => {
  const [first = [], ...others] = await handleAll()
  expect(first).toHaveLength(1)
  expect(first[0]).toBeGreaterThan(16)
  expect(first[0]).toBeLessThan(CHANGES)
  expect(others.map((round) => round.length).filter((transactions) => transactions > 4)).toEqual([])
  expect([first, ...others].flat().reduce((a, b) => a + b)).toBe(CHANGES)
  expect(await runs()).toBe(CHANGES)
})

test('a shard of which the oldest change was tried before is handled by itself, and that try is counted once', async () => {
  const [first = 0, ...others] = await busyShards(db.pool)
  await noteAttempt(db.pool, { shard: first, above: 0, noted: null }) // whoever noted it died
  const heads = await noteFirstAttempts(
    db.pool,
    [first, ...others].map((shard) => ({ shard, above: 0, noted: null })),
  )
  expect(heads.filter((h) => !h.isFirst).map((h) => h.shard)).toEqual([first])
  expect((await tries()).get(first)).toBe(1)
  await db.pool.query('delete from rappel.tried where shard <> $1', [first])
  await dispatcher.handleShards([first, ...others])
  expect((await tries()).get(first)).toBe(2)
  await handleAll()
  expect(await runs()).toBe(CHANGES)
})

test('notes of what was handled are let go of with the next: each shard has one at most', async () => {
  await handleAll()
  const { most, old } = await one<{ most: number; old: number }>(
    db.pool,
    'select max(n)::int as most, count(*) filter (where n > 1)::int as old from (select count(*) as n from rappel.tried group by shard) s',
  )
  expect([most, old]).toEqual([1, 0])
  await db.pool.query(`update rappel.tried set at = at - interval '2 hours'`)
  await forgetOldAttempts(db.pool)
  expect(await tries()).toEqual(new Map())
})

test('a shard that another worker has is left to it, and the others are handled', async () => {
  const busy = await dispatcher.busyShards()
  const [taken = 0] = busy
  await transaction(db.pool, async (other) => {
    await other.query(`select pg_advisory_xact_lock(${LOCKS.shard}, $1)`, [taken])
    await dispatcher.handleShards(busy)
    await handleAll(taken)
    expect(await busyShards(db.pool)).toEqual([taken])
  })
  await handleAll()
  expect(await runs()).toBe(CHANGES)
})
