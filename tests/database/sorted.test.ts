import type { Pool } from 'pg'
import type { Setting } from '@/core/conditions/compile'
import { must } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import { peopleByEmail } from '@/store/people'
import { listRecords } from '@/store/records'
import { readSettings } from '@/store/settings'
import { sortedPage } from '@/store/sorted'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'

/** Deep pages of a large table are those that sorting it anew would give. */
let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let table: TableDef
let setting: Setting
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await makeClaims(pool)
  const schema = await readSchema(pool)
  table = must(schema.get('claims'))
  setting = { schema, organisation: await readSettings(pool), people: (await peopleByEmail(pool)).ids }
})
afterEach(() => db.drop())

test('each deep page is the one that sorting anew gives, gone records left out; small tables and first pages are sorted as they stand', async () => {
  await pool.query('alter table data.claims disable trigger user')
  await pool.query(
    `insert into data.claims (number, status, amount) select 'X-' || g, case when g % 3 = 0 then 'New' else 'Closed' end, (g * 7919) % 1000 from generate_series(1, 5000) g`,
  )
  const order = 'status,-amount'
  const page = (offset: number) => sortedPage(pool, table, setting, { order, limit: 50, offset })
  expect(await page(2_000)).toBe(null)
  // the planner's guess is what tells a large table; nothing else about it is large here
  await pool.query('analyze data.claims')
  await pool.query(`alter table data.claims set (autovacuum_enabled = off)`)
  const { rows } = await pool.query(`select reltuples from pg_class where oid = 'data.claims'::regclass`)
  expect(Number(rows[0].reltuples)).toBe(5_000)
  await pool.query(`insert into data.claims (number, status, amount) select 'Y-' || g, 'New', g % 1000 from generate_series(1, 100000) g`)
  await pool.query('analyze data.claims')
  expect(await page(0)).toBe(null)
  for (const offset of [1_000, 50_000, 104_990]) {
    const anew = await listRecords(pool, table, setting, { order, limit: 50, offset })
    expect(await page(offset)).toEqual({ records: anew, all: 105_000 })
  }
  const [gone] = must(await page(1_000)).records
  await pool.query('delete from data.claims where id = $1', [must(gone).id])
  expect(must(await page(1_000)).records).toHaveLength(49)
  const filtered = await sortedPage(pool, table, setting, { order, where: { field: 'number', op: 'starts with', value: 'X-' }, limit: 5, offset: 4_998 })
  expect([filtered?.all, filtered?.records.length]).toEqual([4_999, 1]) // the one that is gone was among them
})
