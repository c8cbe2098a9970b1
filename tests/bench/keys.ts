import type { Pool } from 'pg'
import { attachTable } from '@/store/attach/attach'
import { putTable } from '@/store/tables'
import { freshDatabase } from '../support/database'
import { median, report, time } from './measure'

const ROWS = 50_000
const SINGLE = 3_000

interface Speeds {
  /** Rows a second of one statement over all, and statements a second of one row each. */
  readonly bulk: number
  readonly single: number
}

/** How fast a table is written to: everything in one statement, and row by row. */
async function speeds(pool: Pool, table: string): Promise<Speeds> {
  const bulk: number[] = []
  for (let i = 0; i < 5; i++) {
    bulk.push(await time(() => pool.query(`update ${table} set amount = amount + 1`)))
    await pool.query('delete from rappel.queue')
  }
  const client = await pool.connect()
  const { rows } = await client.query(`select ctid::text from ${table} limit ${SINGLE}`)
  const single = await time(async () => {
    for (const { ctid } of rows) await client.query(`update ${table} set note = 'n' where ctid = $1::tid`, [ctid])
  })
  client.release()
  await pool.query('delete from rappel.queue')
  return { bulk: ROWS / (median(bulk) / 1_000), single: SINGLE / (single / 1_000) }
}

/** Records with keys of any kind, and tables of other programs, against tables of Rappel's own that numbers are the keys of. */
export async function benchKeys(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await pool.query('set synchronous_commit = off')
  const found = new Map<string, Speeds>()
  for (const key of ['number', 'uuid', 'text'] as const) {
    await putTable(pool, {
      name: `k_${key}`,
      label: key,
      singular: key,
      titleField: 'note',
      ...(key === 'number' ? {} : { key }),
      fields: [
        { name: 'note', label: 'Note', type: 'text' },
        { name: 'amount', label: 'Amount', type: 'number' },
      ],
    })
    await pool.query(
      `insert into data.k_${key} (${key === 'text' ? 'id, ' : ''}note, amount) select ${key === 'text' ? `'key-' || g, ` : ''}'note ' || g, g from generate_series(1, ${ROWS}) g`,
    )
    await pool.query('delete from rappel.queue')
    found.set(key, await speeds(pool, `data.k_${key}`))
  }
  await pool.query(
    `create schema other; create table other.things (id bigint primary key, created_at timestamptz default now(), updated_at timestamptz default now(), note text, amount numeric)`,
  )
  await attachTable(pool, 'things', { schema: 'other', table: 'things' })
  await pool.query(`insert into other.things (id, note, amount) select g, 'note ' || g, g from generate_series(1, ${ROWS}) g; delete from rappel.queue`)
  found.set('attached, number', await speeds(pool, 'other.things'))
  const own = found.get('number') ?? { bulk: 1, single: 1 }
  for (const [name, { bulk, single }] of found) {
    if (name === 'number') continue
    const [all, one] = [bulk / own.bulk, single / own.single]
    report(`writes with a key of ${name}, share of numbers: ${ROWS} at once, one by one`, `${all.toFixed(2)}, ${one.toFixed(2)}`, 'at least 0.7', all >= 0.7 && one >= 0.7)
  }
  await drop()
}
