import type { Pool } from 'pg'
import { createClient, createPool, createSessionPool, many, one } from '@/store/database'
import { SESSION } from '@/store/session'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

/**
 * A database that others use as well is set to what they want: PostgreSQL 15, ALTER DATABASE, "SET"; each setting changes what statements mean, how values are written, or when sessions are
 * ended (chapter 20).
 */
const SETTINGS = {
  default_transaction_isolation: 'serializable',
  default_transaction_read_only: 'on',
  datestyle: 'German, DMY',
  intervalstyle: 'sql_standard',
  bytea_output: 'escape',
  extra_float_digits: '-15',
  standard_conforming_strings: 'off',
  transform_null_equals: 'on',
  array_nulls: 'off',
  quote_all_identifiers: 'on',
  statement_timeout: '100ms',
  lock_timeout: '10ms',
  idle_session_timeout: '700ms',
  idle_in_transaction_session_timeout: '100ms',
  row_security: 'off',
  timezone: 'Pacific/Chatham',
}

let engine: Engine
let people: { ines: number; rafi: number }
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
  const { name } = await one<{ name: string }>(engine.pool, 'select current_database() as name')
  for (const [setting, value] of Object.entries(SETTINGS)) await engine.pool.query(`alter database ${name} set ${setting} = '${value}'`)
  await engine.pool.query(`alter database ${name} set search_path = data, rappel, public`)
})
afterEach(() => engine.stop())

test('sessions are set to what Rappel goes by, whatever the database is set to; what its address sets besides stays', async () => {
  const address = `${engine.url}?options=${encodeURIComponent('-c work_mem=7MB -c timezone=Europe/Oslo')}`
  const client = createClient(address, 'test')
  const pools: Pool[] = [createPool(address), createPool(address, { isReplica: true }), createSessionPool(address, { max: 1, name: 'test' })]
  await client.connect()
  try {
    for (const db of [...pools, client]) {
      const rows = await many<{ name: string; value: string }>(db, `select name, setting as value from pg_settings where name = any($1)`, [
        [...Object.keys(SESSION), 'TimeZone', 'DateStyle', 'IntervalStyle', 'work_mem'],
      ])
      const found = Object.fromEntries(rows.map(({ name, value }) => [name.toLowerCase(), value.replaceAll(', ', ',')]))
      expect(found).toEqual({ ...SESSION, work_mem: '7168' })
    }
  } finally {
    await client.end()
    await Promise.all(pools.map((pool) => pool.end()))
  }
})

const message = (pool: Pool, n: number) => one<{ body: string }>(pool, 'select body from rappel.message where subject = $1', [`C-${n}`])

test('in a database that is set otherwise in every respect, three workers at once send each mail once, and no more of them than they may; what it says is right', async () => {
  const pool = createPool(engine.url, { max: 6 })
  try {
    await goLive(
      { pool },
      newClaimWorkflow({
        limits: { perDay: 150 },
        actions: [
          {
            name: 'tell',
            do: 'email',
            to: [{ address: 'lead@office.example' }],
            subject: '{{ claim.number }}',
            body: '{{ claim.due | date: "%Y-%m-%d" }} {{ claim.amount }}',
            format: 'plain',
          },
        ],
      }),
    )
    for (let i = 0; i < 3; i++) await engine.startWorker()
    const add = async (first: number) => {
      for (let i = first; i < first + 50; i++)
        await pool.query(`insert into data.claims (number, owner, amount, due) values ($1, $2, 0.1 + $3::numeric, '2026-03-04')`, [`C-${i}`, people.ines, i])
    }
    await Promise.all([0, 50, 100, 150].map(add))
    await until('the queue to be empty', async () => (await many(pool, 'select 1 from rappel.queue')).length === 0)
    await until('all mail', () => engine.room.store.list({ limit: 500 }).length >= 150)
    await new Promise((resolve) => setTimeout(resolve, 1_500)) // sessions that were idle would have been ended, and doubles would have come
    const mails = engine.room.store.list({ limit: 500 })
    expect([mails.length, new Set(mails.map((m) => m.subject)).size]).toEqual([150, 150])
    const n = Number(mails[0]?.subject.slice(2))
    const { body } = await message(pool, n)
    expect(body).toBe(`2026-03-04 £${n}.10`)
    expect(await many(pool, `select state from rappel.run where state not in ('done', 'held')`)).toEqual([])
  } finally {
    await pool.end()
  }
})
