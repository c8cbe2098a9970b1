import type { PoolClient } from 'pg'
import { dropOldChanges, ensurePartitions } from '@/store/changes'
import { many } from '@/store/database'
import { inMoments } from '@/store/lock-moments'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'

/**
 * While somebody reads for hours (a dump), what keeps the house waits for its locks a moment at a time: whoever wants a lock that such a reader is in the way of makes all others wait behind it (PostgreSQL 15,
 * 13.3 "Explicit Locking": ACCESS EXCLUSIVE conflicts with all modes, and locks are granted in the order they were asked for).
 */

const MOMENTS = { waitMs: 200, pauseMs: 100, tries: 10_000 }

let db: Awaited<ReturnType<typeof freshDatabase>>
let reader: PoolClient
let keeper: PoolClient
beforeEach(async () => {
  db = await freshDatabase()
  await makeClaims(db.pool)
  await ensurePartitions(db.pool, 40)
  await db.pool.query(`select set_config('rappel.clock', (now() - interval '39 months')::text, false); insert into data.claims (amount) values (1); reset rappel.clock`)
  reader = await db.pool.connect()
  keeper = await db.pool.connect()
  await reader.query('begin isolation level repeatable read, read only')
  await reader.query('select from rappel_log.claims')
})
afterEach(async () => {
  await reader.query('rollback')
  reader.release()
  keeper.release()
  await db.drop()
})

const months = async () => (await many(db.pool, `select from pg_inherits where inhparent = 'rappel_log.claims'::regclass`)).length

test.each<[string, () => Promise<unknown>]>([
  ['a month of the log is made', () => ensurePartitions(keeper, 42)],
  ['months of the log are dropped', () => dropOldChanges(keeper, 24)],
])('while %s beside it, saves go on; it is done once the reader is done', async (_, keep) => {
  const before = await months()
  let isOver = false
  const kept = inMoments<unknown>(keeper, keep, MOMENTS).then(() => {
    isOver = true
  })
  const writer = await db.pool.connect()
  await writer.query(`set lock_timeout = '10s'`)
  for (let i = 0; i < 20; i++) {
    await writer.query('insert into data.claims (amount) values (2)') // fails where it waits for the reader
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  writer.release()
  expect(isOver).toBe(false)
  expect(await months()).toBe(before)
  await reader.query('commit')
  await kept
  expect(await months()).not.toBe(before)
  expect(await many(keeper, 'show lock_timeout')).toEqual([{ lock_timeout: '0' }])
})

test('what was tried in vain so often fails, and leaves the connection as it was', async () => {
  await expect(inMoments(keeper, () => ensurePartitions(keeper, 42), { waitMs: 50, pauseMs: 10, tries: 3 })).rejects.toMatchObject({ code: '55P03' })
  expect(await many(keeper, 'show lock_timeout')).toEqual([{ lock_timeout: '0' }])
})
