import type { Pool } from 'pg'
import { createClient, many, one } from '@/store/database'
import { logSource } from '@/store/log-source'
import { putTable, readSchema } from '@/store/tables'
import { freshDatabase } from '../support/database'

/** A table's columns change under its log, by whoever: the log follows, and what was recorded stays readable as it was. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await putTable(pool, {
    name: 'boats',
    label: 'Boats',
    singular: 'boat',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'length', label: 'Length', type: 'number' },
    ],
  })
  await pool.query(`insert into data.boats (name, length) values ('Tern', 12.50)`)
})
afterEach(() => db.drop())

interface Row {
  readonly kind: string
  readonly before: Record<string, unknown> | null
  readonly after: Record<string, unknown> | null
  readonly changed: string[]
}

const bare = (image: Row['before']) => image && Object.fromEntries(Object.entries(image).filter(([k]) => !['id', 'created_at', 'updated_at'].includes(k)))
const log = async () => {
  const rows = await many<Row>(pool, 'select kind, before, after, changed from rappel_change.boats order by id')
  return rows.map(({ kind, before, after, changed }) => ({ kind, before: bare(before), after: bare(after), changed }))
}
const created = { kind: 'created', before: null, after: { name: 'Tern', length: 12.5 }, changed: ['name', 'length'] }

test('a column that another program adds is in the log from its next statement on, and in no image from before', async () => {
  await pool.query('alter table data.boats add column port text')
  await pool.query(`update data.boats set port = 'Ternsay'`)
  expect(await log()).toEqual([created, { kind: 'changed', before: { port: null }, after: { name: 'Tern', length: 12.5, port: 'Ternsay' }, changed: ['port'] }])
})

test('a column that gets another name keeps what it held, under the new one', async () => {
  await pool.query('alter table data.boats rename column length to metres')
  await pool.query('update data.boats set metres = 13')
  expect(await log()).toEqual([
    { kind: 'created', before: null, after: { name: 'Tern', metres: 12.5 }, changed: ['name', 'metres'] },
    { kind: 'changed', before: { metres: 12.5 }, after: { name: 'Tern', metres: 13 }, changed: ['metres'] },
  ])
})

test('a column that is dropped stays in the images from before', async () => {
  await pool.query('update data.boats set length = 14')
  await pool.query('alter table data.boats drop column length')
  await pool.query(`update data.boats set name = 'Skua'`)
  await pool.query('delete from data.boats')
  expect(await log()).toEqual([
    created,
    { kind: 'changed', before: { length: 12.5 }, after: { name: 'Tern', length: 14 }, changed: ['length'] },
    { kind: 'changed', before: { name: 'Tern' }, after: { name: 'Skua' }, changed: ['name'] },
    { kind: 'deleted', before: { name: 'Skua' }, after: null, changed: [] },
  ])
})

test('dropped and added again under its name, it is another column: each image holds what was there', async () => {
  await pool.query('alter table data.boats drop column length')
  await pool.query('alter table data.boats add column length text')
  await pool.query(`update data.boats set length = 'long'`)
  expect(await log()).toEqual([created, { kind: 'changed', before: { length: null }, after: { name: 'Tern', length: 'long' }, changed: ['length'] }])
  expect((await logSource(pool, 'boats')).from).toContain('rappel_change') // the field’s values are of two types, and are read by their text
})

/** Types that business tables have, with a value that every cast among them takes where there is one. */
const VALUES: Record<string, string> = {
  smallint: '1',
  integer: '1',
  bigint: '1',
  numeric: '1',
  'numeric(12,2)': '1.00',
  real: '1',
  'double precision': '1',
  text: '1',
  'character varying(20)': '1',
  'character(3)': '1',
  boolean: 'true',
  date: '2026-03-04',
  timestamp: '2026-03-04 05:06:07',
  timestamptz: '2026-03-04 05:06:07+00',
  time: '05:06:07',
  interval: '05:06:07',
  json: '1',
  jsonb: '1',
  uuid: '6b1f1a52-2a0b-4c0e-9a53-000000000001',
  bytea: '\\x31',
  inet: '10.0.0.1',
  cidr: '10.0.0.0/8',
  money: '1',
}

/** Pairs that PostgreSQL converts by a cast of its catalogue, or by input and output where one of them is text (PostgreSQL 15, pg_cast; "Type Conversion"). */
async function pairs(): Promise<[string, string][]> {
  const names = Object.keys(VALUES)
  const rows = await many<{ a: string; b: string }>(
    pool,
    `select a.name as a, b.name as b from unnest($1::text[]) a (name), unnest($1::text[]) b (name)
      where a.name <> b.name
        and (exists (select from pg_cast c where c.castsource = a.name::regtype and c.casttarget = b.name::regtype) or 'text' in (a.name, b.name) or a.name::regtype = b.name::regtype) order by 1, 2`,
    [names],
  )
  return rows.map(({ a, b }) => [a, b])
}

test('between any two types that PostgreSQL converts: what was recorded stays in the type it had, what comes is in the new one', async () => {
  const all = await pairs()
  expect(all.length).toBeGreaterThan(100)
  let converted = 0
  let table = ''
  for (const [a, b] of all) {
    if (table !== `of_${a}`.replaceAll(/\W/g, '_')) {
      table = `of_${a}`.replaceAll(/\W/g, '_')
      await putTable(pool, { name: table, label: a, singular: `one_${table}`, titleField: 'name', fields: [{ name: 'name', label: 'Name', type: 'text' }] })
      await pool.query(`insert into data.${table} (name) values ('one')`)
    }
    await pool.query(`alter table data.${table} add column x ${a}`)
    await pool.query(`update data.${table} set x = $1`, [VALUES[a]])
    const [{ x: was } = {}] = await many<{ x: unknown }>(pool, `select to_jsonb(x) as x from data.${table}`)
    const isConverted = await pool.query(`alter table data.${table} alter column x type ${b} using x::${b}`).then(
      () => true,
      () => false, // this value has no such conversion, though its type has
    )
    if (isConverted) {
      converted++
      await pool.query(`update data.${table} set x = null`)
      const [last, first] = await many<Row>(pool, `select kind, before, after, changed from rappel_change.${table} order by id desc limit 2`)
      expect([a, b, first?.after?.x]).toEqual([a, b, was])
      expect([a, b, last?.changed, last?.after?.x]).toEqual([a, b, ['x'], null])
    }
    await pool.query(`alter table data.${table} drop column x`)
  }
  expect(converted).toBeGreaterThan(80)
}, 300_000)

test('tables of any width: beyond 63 columns, and when they come to it', async () => {
  const columns = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => `add column c${from + i} int`).join(', ')
  await pool.query(`alter table data.boats ${columns(1, 57)}`)
  await pool.query('update data.boats set c1 = 1, c57 = 57')
  await pool.query(`alter table data.boats ${columns(58, 260)}`)
  await pool.query('update data.boats set c58 = 58, c60 = 60, c130 = 130, c260 = 260, c1 = 2')
  const rows = await log()
  expect(rows.at(-1)?.changed).toEqual(['c1', 'c58', 'c60', 'c130', 'c260'])
  expect(rows.at(-1)?.before).toEqual({ c1: 1, c58: null, c60: null, c130: null, c260: null })
  expect(Object.keys(rows.at(-1)?.after ?? {})).toHaveLength(262)
  expect(rows.at(-2)?.changed).toEqual(['c1', 'c57'])
})

test('writers go on while the table changes under them, two programs at once; nothing is lost, and no writer fails', async () => {
  await pool.query(`insert into data.boats (name, length) select 'Boat ' || g, 0 from generate_series(1, 20) g`)
  let isOver = false
  const counts = await Promise.all([
    ...[1, 2, 3].map(async (n) => {
      const client = createClient(db.url, 'test writer')
      await client.connect()
      let count = 0
      for (; !isOver; count++) await client.query('update data.boats set length = length + 1 where id = $1', [1 + n])
      await client.end()
      return count
    }),
    (async () => {
      const alter = async (column: string) => {
        for (let i = 0; i < 8; i++) {
          await pool.query(`alter table data.boats add column ${column}${i} text default 'x'`)
          await new Promise((resolve) => setTimeout(resolve, 60))
          if (i % 2) await pool.query(`alter table data.boats drop column ${column}${i}`)
        }
      }
      await Promise.all([alter('a'), alter('b')])
      isOver = true
      return 0
    })(),
  ])
  const { logged } = await one<{ logged: number }>(pool, `select count(*) as logged from rappel_change.boats where kind = 'changed'`)
  const written = counts.reduce((a, b) => a + b, 0)
  expect(written).toBeGreaterThan(20)
  expect(logged).toBe(written)
  const { wrong } = await one<{ wrong: number }>(
    pool,
    `select count(*) as wrong from (select after ->> 'length' as now, before ->> 'length' as was, lag(after ->> 'length') over (partition by rec order by id) as last
                                      from rappel_change.boats where rec between 2 and 4) c where last is not null and was is distinct from last`,
  )
  expect(wrong).toBe(0)
}, 120_000)

test('a program that dies in the middle of changing the table leaves everything as it was', async () => {
  const client = createClient(db.url, 'test alterer')
  client.on('error', () => undefined)
  await client.connect()
  const { pid } = (await client.query<{ pid: number }>('select pg_backend_pid() as pid')).rows[0] ?? { pid: 0 }
  await client.query('begin')
  await client.query('alter table data.boats add column port text')
  await client.query(`update data.boats set port = 'Ternsay'`) // the log has followed, in the same transaction
  await pool.query('select pg_terminate_backend($1)', [pid])
  await pool.query('update data.boats set length = 20')
  expect(await log()).toEqual([created, { kind: 'changed', before: { length: 12.5 }, after: { name: 'Tern', length: 20 }, changed: ['length'] }])
})

test('a field that Rappel adds says of records before that it was not there yet', async () => {
  const boats = (await readSchema(pool)).get('boats')
  if (!boats) throw new Error('The table is gone.')
  await putTable(pool, { ...boats, fields: [...boats.fields, { name: 'port', label: 'Port', type: 'text' }] })
  await pool.query(`update data.boats set port = 'Ternsay'`)
  const [first, second] = await log()
  expect(first?.after).not.toHaveProperty('port')
  expect(second?.before).toEqual({ port: null })
})
