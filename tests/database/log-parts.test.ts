import type { Pool } from 'pg'
import { must } from '@/core/must'
import { positionAt } from '@/store/as-of'
import { readBare } from '@/store/bare'
import { ensurePartitions } from '@/store/changes'
import { many, transaction } from '@/store/database'
import { endsOfTransactions } from '@/store/history'
import { partsOfLogs } from '@/store/log-parts'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'
import { freshDatabase } from '../support/database'

const NAMES = ['ships', 'berths', 'crews'] as const

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  for (const name of NAMES) await putTable(pool, { name, label: name, singular: name, titleField: 'title', fields: [{ name: 'title', label: 'Title', type: 'text' }] })
})
afterEach(() => db.drop())

/** Writes to some tables in one transaction, so many days ago. */
const write = (days: number, tables: readonly string[]) =>
  transaction(pool, async (client) => {
    await client.query(`select set_config('rappel.clock', (now() - make_interval(days => $1))::text, true)`, [days])
    for (const name of tables) await client.query(`insert into data.${name} (title) values ('of ${days} days ago')`)
  })

const rows = (table: string) => many<{ id: number; xid: string; at: Date }>(pool, `select id, xid::text as xid, at from rappel_log.${table} order by id`)

test('changes are found by their numbers alone among the logs of all tables, and those of people', async () => {
  await write(40, ['ships'])
  await write(0, ['berths', 'crews'])
  await putPerson(pool, 'ines@office.example', { name: 'Ines' })
  const [ship, berth, crew] = await Promise.all(NAMES.map(async (name) => must((await rows(name))[0])))
  const person = must((await many<{ id: number }>(pool, `select id from rappel_change.person`))[0])
  const ids = [ship, berth, crew, person].map((row) => Number(row?.id))
  const found = await readBare(pool, [...ids, 999_999])
  expect(new Map(found.map((row) => [row.id, row.tbl]))).toEqual(new Map(ids.map((id, i) => [id, [...NAMES, 'person'][i]])))
  expect(await readBare(pool, [999_999])).toEqual([])
})

test('a transaction ends with its last row in any log; parts without rows, and of other months, are not asked', async () => {
  await ensurePartitions(pool, 4)
  await write(40, ['ships'])
  await write(0, ['ships', 'berths', 'ships', 'crews'])
  const [old, first] = await rows('ships')
  const crew = must((await rows('crews'))[0])
  const ends = await endsOfTransactions(
    pool,
    [must(old), must(first)].map(({ xid, at }) => ({ transaction: xid, at })),
  )
  expect(ends).toEqual(
    new Map([
      [must(old).xid, Number(must(old).id)],
      [must(first).xid, Number(crew.id)],
    ]),
  )
  const day = 86_400_000
  const now = await partsOfLogs(pool, { from: new Date(Date.now() - day), to: new Date(Date.now() + day) })
  expect(now.map(({ tbl }) => tbl).sort()).toEqual([...NAMES].sort())
  expect((await partsOfLogs(pool)).map(({ tbl }) => tbl).sort()).toEqual(['ships', ...NAMES].sort())
})

test('the position at a moment is the last row until then, of any log, however long ago', async () => {
  await write(70, ['crews'])
  await write(40, ['ships'])
  await write(0, ['berths'])
  const ship = must((await rows('ships'))[0])
  const at = (days: number) => positionAt(pool, new Date(Date.now() - days * 86_400_000))
  expect(await at(35)).toBe(Number(ship.id))
  expect(await at(39.9)).toBe(Number(ship.id))
  expect(await at(50)).toBe(Number(must((await rows('crews'))[0]).id))
  expect(await at(-1)).toBe(Number(must((await rows('berths'))[0]).id))
  expect(await at(90)).toBeNull()
})

test('the views over all logs have every group of them, also where a key got another type and its log begins anew', async () => {
  await pool.query('alter table rappel.log_of alter column number restart with 62')
  const more = ['piers', 'tugs', 'crates', 'lamps']
  for (const name of more) await putTable(pool, { name, label: name, singular: name, titleField: 'title', fields: [{ name: 'title', label: 'Title', type: 'text' }] })
  expect((await many<{ number: number }>(pool, 'select number from rappel.log_of where tbl = any($1) order by number', [more])).map((r) => r.number)).toEqual([62, 63, 64, 65])
  const seen = async (view: string) => (await many<{ tbl: string }>(pool, `select tbl from rappel.${view} order by id`)).map((row) => row.tbl)
  await write(0, ['ships', ...more])
  expect([await seen('change'), await seen('change_bare')]).toEqual([
    ['ships', ...more],
    ['ships', ...more],
  ])
  await pool.query('alter table data.tugs drop column id, add column id uuid primary key default gen_random_uuid()')
  await write(0, ['tugs', 'berths'])
  const others = ['ships', 'piers', 'crates', 'lamps', 'tugs', 'berths'] // what was logged under the old key is kept under another name
  expect([await seen('change'), await seen('change_bare')]).toEqual([others, others])
  await putPerson(pool, 'ines@office.example', { name: 'Ines' })
  expect((await seen('change')).at(-1)).toBe('person')
})
