import { cp, mkdtemp, readdir, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { createPool, many, one } from '@/store/database'
import { logSource } from '@/store/log-source'
import { migrate } from '@/store/migrate'
import { hasToMove, moveNext, readUnmoved } from '@/store/moving'
import { makeClaims } from '../support/claims'
import { administer, emptyDatabase } from '../support/database'

/** A database of the version before logs were typed, with a history; brought to this version, its changes are moved. */

const MIGRATIONS = join(process.cwd(), 'src/store/migrations')

let name: string
let pool: Pool
let folder: string
let ines: number
beforeEach(async () => {
  const db = await emptyDatabase()
  name = db.name
  pool = createPool(db.url)
  folder = await mkdtemp(join(tmpdir(), 'rappel-migrations-'))
  for (const file of (await readdir(MIGRATIONS)).filter((f) => f < '017')) await cp(join(MIGRATIONS, file), join(folder, file))
  await migrate(pool, folder)
  // which later versions ask for
  await pool.query('create table rappel.figure (name text, tbl text, definition json); create table rappel.attached_field (tbl text, field text, is_read_only boolean)')
  await pool.query('create table rappel.attached (tbl text, base regclass, schema_name text, base_name text, trouble text)')
  await pool.query('alter table rappel.table_def add archived_at timestamptz; alter table rappel.field_def add is_unique boolean not null default false, add marks jsonb')
  await pool.query('create function rappel.folded(text) returns text language sql immutable as $$ select pg_catalog.lower($1) $$')
  ines = (await makeClaims(pool)).ines
  await pool.query('drop table rappel.figure, rappel.attached, rappel.attached_field; drop function rappel.folded')
})
afterEach(async () => {
  await pool.end()
  await rm(folder, { recursive: true, force: true })
  await administer(`drop database if exists ${name} with (force)`)
})

interface Kept {
  readonly id: number
  readonly tbl: string
  readonly before: Record<string, unknown> | null
  readonly after: Record<string, unknown> | null
}

const everything = () => many<Kept>(pool, 'select id, tbl, rec, kind, before, after, changed, at, xid::text, by, run, depth from rappel.change order by id')

/** Moments are written in the zone of whoever wrote them; the same ones count as the same. */
const evenly = (rows: readonly Kept[]) => rows.map((row) => ({ ...row, before: evened(row.before), after: evened(row.after) }))
const evened = (image: Kept['before']) =>
  image && Object.fromEntries(Object.entries(image).map(([k, v]) => [k, typeof v === 'string' && /^\d{4}-\d\d-\d\dT/.test(v) ? new Date(v).toISOString() : v]))

async function makeHistory(): Promise<void> {
  await pool.query(`insert into data.claims (status, amount, owner, note) select 'New', g * 1.50, $1, case when g % 3 = 0 then 'note ' || g end from generate_series(1, 120) g`, [
    ines,
  ])
  await pool.query(
    `set rappel.by = '{"kind":"person","person":1,"name":"Ines Okafor"}'; set timezone = 'America/Santiago'; update data.claims set amount = amount + 1, due = '2026-05-01' where id % 2 = 0; reset rappel.by; reset timezone`,
  )
  await pool.query('alter table data.claims add column colour text')
  await pool.query(`select rappel.attach_capture('claims')`)
  await pool.query(`update data.claims set colour = 'red', note = null where id % 5 = 0`)
  await pool.query('update data.claims set id = id + 1000 where id < 4')
  await pool.query('delete from data.claims where id % 7 = 0')
  await pool.query(`insert into rappel.person (email, name, first_name, role) values ('new@office.example', 'New Body', 'New', 'member')`)
}

test('every change of before is read as it was: at once, while it is moved piece by piece, and when all is', async () => {
  await makeHistory()
  const before = evenly(await everything())
  expect(before.length).toBeGreaterThan(200)
  await migrate(pool)
  expect(await hasToMove(pool)).toBe(true)
  expect(evenly(await everything())).toEqual(before)
  await moveNext(pool, 70)
  await pool.query(`update data.claims set status = 'Settled' where id = 20`)
  const now = evenly(await everything())
  expect(now.slice(0, before.length)).toEqual(before)
  expect(now).toHaveLength(before.length + 1)
  for (let moved = await moveNext(pool, 70); moved; moved = await moveNext(pool, 70)) {
    expect(moved.stayed).toBe(0)
    expect(evenly(await everything())).toEqual(now)
  }
  expect(await many(pool, `select distinct tbl from rappel.change_json`)).toEqual([{ tbl: 'person' }])
  expect((await logSource(pool, 'claims')).from).toContain('rappel_log')
  expect(await readUnmoved(pool)).toEqual([])
})

test('a field that the table has no more keeps what it held', async () => {
  await makeHistory()
  await pool.query('alter table data.claims drop column colour')
  await pool.query(`select rappel.attach_capture('claims')`)
  await pool.query(`update data.claims set note = 'after' where id = 20`)
  const before = evenly(await everything())
  await migrate(pool)
  while (await moveNext(pool, 1_000));
  expect(evenly(await everything())).toEqual(before)
  expect(before.some((row) => row.after?.colour === 'red')).toBe(true)
})

test('a change that its log would not give back stays as it was recorded, is read as such, and holds nothing up', async () => {
  await makeHistory()
  await pool.query(`update rappel.change set after = after || '{"amount": "much"}' where id = (select min(id) + 5 from rappel.change where tbl = 'claims')`)
  const before = evenly(await everything())
  await migrate(pool)
  let stayed = 0
  for (let moved = await moveNext(pool, 50); moved; moved = await moveNext(pool, 50)) stayed += moved.stayed
  expect(stayed).toBe(1)
  expect(await hasToMove(pool)).toBe(false)
  expect(await readUnmoved(pool)).toEqual(['claims'])
  expect(evenly(await everything())).toEqual(before)
  const { count } = await one<{ count: number }>(pool, `select count(*) as count from rappel.change_json where tbl = 'claims'`)
  expect(count).toBe(1)
})
