import type { Pool } from 'pg'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'
import { median, report, time } from './measure'

const ROWS = 50_000
const ROUNDS = 5
const SINGLES = 1_500

const CAPTURE = 'rappel_capture_update'
const set = (pool: Pool, state: 'enable' | 'disable') => pool.query(`alter table data.claims ${state} trigger ${CAPTURE}`)

async function bulk(pool: Pool): Promise<number> {
  const times: number[] = []
  for (let i = 0; i < ROUNDS; i++) {
    times.push(await time(() => pool.query(`update data.claims set amount = amount + 1, status = case status when 'New' then 'Settled' else 'New' end`)))
    await pool.query('truncate rappel.change, rappel.queue')
    await pool.query('vacuum analyze data.claims')
  }
  return median(times)
}

async function singles(pool: Pool): Promise<number> {
  const client = await pool.connect()
  const milliseconds = await time(async () => {
    for (let i = 0; i < SINGLES; i++) await client.query('update data.claims set amount = amount + 1 where id = $1', [1 + ((i * 7919) % ROWS)])
  })
  client.release()
  return SINGLES / (milliseconds / 1000)
}

/** What capture costs the writers, against the same updates with its trigger switched off, turn by turn in one run. */
export async function benchCapture(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await makeClaims(pool)
  await pool.query(`insert into data.claims (status, amount, note) select 'New', g, 'a note of some length for claim ' || g from generate_series(1, ${ROWS}) g`)
  await pool.query('truncate rappel.change, rappel.queue')
  await pool.query('vacuum analyze data.claims')
  await bulk(pool)
  await set(pool, 'disable')
  const bare = await bulk(pool)
  const bareRate = await singles(pool)
  await set(pool, 'enable')
  const captured = await bulk(pool)
  const rate = await singles(pool)
  report(`bulk update of ${ROWS} rows, times uncaptured`, `${(captured / bare).toFixed(2)} (${Math.round(bare)} to ${Math.round(captured)} ms)`, 'at most 4', captured / bare <= 4)
  report(
    'single-row updates, share of the uncaptured rate',
    `${(rate / bareRate).toFixed(2)} (${Math.round(bareRate)} to ${Math.round(rate)} /s)`,
    'at least 0.4',
    rate / bareRate >= 0.4,
  )
  await drop()
}
