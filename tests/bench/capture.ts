import type { Pool } from 'pg'
import { makeClaims } from '../support/claims'
import { forgetChanges, freshDatabase } from '../support/database'
import { median, report, time } from './measure'

const ROWS = 50_000
const ROUNDS = 5
const SINGLES = 600

const CAPTURE = 'rappel_capture_update'
const set = (pool: Pool, state: 'enable' | 'disable') => pool.query(`alter table data.claims ${state} trigger ${CAPTURE}`)

async function bulk(pool: Pool): Promise<number> {
  const milliseconds = await time(() => pool.query(`update data.claims set amount = amount + 1, status = case status when 'New' then 'Settled' else 'New' end`))
  await forgetChanges(pool)
  await pool.query('vacuum analyze data.claims')
  return milliseconds
}

async function singles(pool: Pool): Promise<number> {
  const client = await pool.connect()
  const milliseconds = await time(async () => {
    for (let i = 0; i < SINGLES; i++) await client.query('update data.claims set amount = amount + 1 where id = $1', [1 + ((i * 7919) % ROWS)])
  })
  client.release()
  return SINGLES / (milliseconds / 1000)
}

/** Measures without and with capture turn by turn, so that a machine that gets slower or faster meanwhile does so for both. */
async function turnByTurn(pool: Pool, measure: (pool: Pool) => Promise<number>): Promise<{ bare: number; captured: number }> {
  const [bare, captured]: [number[], number[]] = [[], []]
  for (let i = 0; i < ROUNDS; i++) {
    await set(pool, 'disable')
    bare.push(await measure(pool))
    await set(pool, 'enable')
    captured.push(await measure(pool))
  }
  return { bare: median(bare), captured: median(captured) }
}

/** What capture costs the writers, against the same updates with its trigger switched off. */
export async function benchCapture(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await makeClaims(pool)
  await pool.query(`insert into data.claims (status, amount, note) select 'New', g, 'a note of some length for claim ' || g from generate_series(1, ${ROWS}) g`)
  await forgetChanges(pool)
  await pool.query('vacuum analyze data.claims')
  await bulk(pool)
  const many = await turnByTurn(pool, bulk)
  const factor = many.captured / many.bare
  report(`bulk update of ${ROWS} rows, times uncaptured`, `${factor.toFixed(2)} (${Math.round(many.bare)} to ${Math.round(many.captured)} ms)`, 'at most 4', factor <= 4)
  const each = await turnByTurn(pool, singles)
  const share = each.captured / each.bare
  report('single-row updates, share of the uncaptured rate', `${share.toFixed(2)} (${Math.round(each.bare)} to ${Math.round(each.captured)} /s)`, 'at least 0.4', share >= 0.4)
  await drop()
}
