import type { Pool } from 'pg'
import { dropOldChanges, ensurePartitions, mayBeDropped, readChange } from '@/store/changes'
import { many, one } from '@/store/database'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'

/** Months of the change log that are over are dropped whole; what is still open keeps its month. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await makeClaims(pool)
  await ensurePartitions(pool, 40)
})
afterEach(() => db.drop())

/** A claim made so many months ago; the id of its change. */
async function made(monthsAgo: number): Promise<number> {
  const client = await pool.connect()
  await client.query(`select set_config('rappel.clock', (now() - make_interval(months => $1))::text, false)`, [monthsAgo])
  await client.query('insert into data.claims (amount) values ($1)', [monthsAgo])
  await client.query('reset rappel.clock')
  client.release()
  return (await one<{ id: number }>(pool, 'select max(id) as id from rappel_log.claims')).id
}

const kept = async () => (await many<{ amount: number }>(pool, 'select a_amount::int as amount from rappel_log.claims order by id')).map((r) => r.amount)
const handled = () => pool.query('delete from rappel.queue')

test('months that ended long enough ago go, and are not found any more; younger ones stay', async () => {
  const [old] = [await made(30), await made(26), await made(23), await made(1), await made(0)]
  await handled()
  await pool.query(`insert into rappel.change_apart (change_id, tbl) select id, 'claims' from rappel_log.claims`)
  const dropped = await dropOldChanges(pool, 24)
  expect(dropped.length).toBeGreaterThanOrEqual(2)
  expect(await kept()).toEqual([23, 1, 0])
  expect(await many(pool, 'select a.change_id::int as id from rappel.change_apart a order by 1')).toEqual(
    await many(pool, 'select id::int as id from rappel_log.claims order by 1'),
  )
  expect(await readChange(pool, await readSchema(pool), old ?? 0)).toBeNull()
  expect(await mayBeDropped(pool, old ?? 0)).toBe(true)
  expect(await mayBeDropped(pool, 1_000_000)).toBe(false)
  expect(await dropOldChanges(pool, 24)).toEqual([])
})

test('what is still to be handled keeps its month and all after it', async () => {
  await made(30)
  await handled()
  await made(28)
  await made(26)
  await dropOldChanges(pool, 24)
  expect(await kept()).toEqual([28, 26])
})

test('a record of which only the change before is gone still stands as it does now', async () => {
  await made(30)
  await handled()
  await dropOldChanges(pool, 24)
  await pool.query(`update data.claims set note = 'later'`)
  const [change] = await many<{ before: object; after: object }>(pool, 'select before, after from rappel_change.claims')
  expect(change).toMatchObject({ before: { note: null }, after: { amount: 30, note: 'later' } })
})
