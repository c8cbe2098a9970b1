import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { MOST_FIELDS, type TableDef } from '@/core/values/tables'
import { findChange, latestChanges, readChange } from '@/store/changes'
import { many, one } from '@/store/database'
import { createRecord } from '@/store/records'
import { putTable, readSchema } from '@/store/tables'
import { freshDatabase } from '../support/database'

/** Changes of tables with so many fields that what stood before and after does not fit a row of their log (PostgreSQL 15, Appendix K: a row fits a page of 8 kB; 73.2: values of 24 bytes and less are not put elsewhere). */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
})
afterEach(() => db.drop())

const FIELDS = 332
const names = Array.from({ length: FIELDS }, (_, i) => `f${i}`)

const table = (name: string, key?: 'uuid' | 'text'): TableDef => ({
  name,
  label: name,
  singular: `one_${name}`,
  titleField: 'f0',
  ...(key ? { key } : {}),
  fields: [...names.map((f) => ({ name: f, label: f, type: 'text' as const, ...(f === 'f9' ? { housekeeping: true } : {}) })), { name: 'n', label: 'N', type: 'number' as const }],
})

/** A value of three letters or of twenty-three, which begins alike: short ones fit a row, long ones do not. */
const value = (seed: string, isLong: boolean) => (isLong ? `left(md5(${seed}) || md5(${seed} || 'x'), 23)` : `left(md5(${seed}), 3)`)

const KEYS = {
  number: ['7', '8', '9'],
  uuid: ["'00000000-0000-4000-8000-000000000007'::uuid", "'00000000-0000-4000-8000-000000000008'::uuid", "'00000000-0000-4000-8000-000000000009'::uuid"],
  text: ["'g'", "'h'", "'i'"],
}

/** Everything that can be done to a table's rows, in statements. */
function deeds(name: string, [a, b, c]: readonly string[], isLong: boolean): string[] {
  const of = (seed: string) => value(seed, isLong)
  const insert = (ids: readonly string[]) =>
    `insert into data.${name} (id, n, ${names}) ${/^'/.test(ids[0] ?? '') ? '' : 'overriding system value '}${ids.map((id) => `select ${id}, 5, ${names.map((f) => of(`'${f}'`))}`).join(' union all ')}`
  const all = (seed: string) => names.map((f) => `${f} = ${of(`'${f}${seed}'`)}`).join(', ')
  return [
    insert([String(a)]),
    insert([String(b), String(c)]),
    `update data.${name} set ${all('2')} where id = ${a}`,
    `update data.${name} set ${all('3')}`,
    `update data.${name} set f9 = ${of(`'house'`)}, f1 = f1`,
    `update data.${name} set f3 = null, n = n + 1 where id <> ${a}`,
    `update data.${name} set id = ${String(a).replace('7', '6').replace('g', 'f')}, f4 = null where id = ${a}`,
    `delete from data.${name} where id = ${b}`,
    `truncate data.${name}`,
  ]
}

/** A change as it would be of values of three letters, without what differs from one writing to the next. */
function plain({ id: _, at: _at, transaction: _x, table: _t, before, after, ...change }: Change) {
  const cut = (image: Change['after']) =>
    image && Object.fromEntries(Object.entries(image).flatMap(([k, v]) => (k.endsWith('_at') ? [] : [[k, typeof v === 'string' && /^f\d/.test(k) ? v.slice(0, 3) : v]])))
  return { ...change, before: cut(before), after: cut(after) }
}

test.each([
  ['numbers', undefined, KEYS.number],
  ['uuids', 'uuid', KEYS.uuid],
  ['texts', 'text', KEYS.text],
] as const)('what fits no row is recorded as what fits is, whatever was done: %s', async (kind, key, ids) => {
  const [short, long] = [`${kind}_short`, `${kind}_long`]
  const told = new Map<string, readonly Change[]>()
  for (const name of [short, long]) {
    await putTable(pool, table(name, key))
    for (const deed of deeds(name, ids, name === long)) await pool.query(deed)
    told.set(name, (await latestChanges(pool, await readSchema(pool), name, null, 100)).reverse())
  }
  const changes = told.get(long) ?? []
  expect(changes.map((c) => c.kind)).toEqual([
    ...['created', 'created', 'created', 'changed', 'changed', 'changed', 'changed', 'changed', 'changed'],
    ...[expect.any(String), expect.any(String), 'deleted', 'deleted', 'deleted'],
  ])
  const asToldOf = (name: string) => (told.get(name) ?? []).map(plain).sort((x, y) => (JSON.stringify([x.record, x.kind]) < JSON.stringify([y.record, y.kind]) ? -1 : 1))
  expect(asToldOf(long)).toEqual(asToldOf(short))
  const images = async (name: string) => (await one<{ n: number }>(pool, 'select count(*)::int as n from rappel.change_json where tbl = $1', [name])).n
  expect([await images(short), (await images(long)) > 9]).toEqual([0, true])
  const queued = await many<{ change_id: number; rec: unknown }>(pool, 'select change_id, rec from rappel.queue where tbl = $1 order by change_id', [long])
  expect(queued.map((q) => [q.change_id, q.rec])).toEqual(changes.map((c) => [c.id, c.record]))
  for (const change of changes) {
    const schema = await readSchema(pool)
    expect(await readChange(pool, schema, change.id)).toEqual(change) // through the logs of all tables
    expect(await findChange(pool, schema, change.id, short)).toEqual(change) // thought to be of another
    expect((await one<{ rec: unknown }>(pool, 'select rec from rappel.change_bare where id = $1', [change.id])).rec).toEqual(change.record)
  }
})

test('columns that get other names have them in what was kept as images too, also where two change theirs for one another', async () => {
  await putTable(pool, table('boats'))
  for (const deed of deeds('boats', KEYS.number, true).slice(0, 3)) await pool.query(deed)
  const before = (await latestChanges(pool, await readSchema(pool), 'boats', 7, 1))[0]
  await pool.query(
    'alter table data.boats rename f3 to f_; alter table data.boats rename f5 to f3; alter table data.boats rename f_ to f5; alter table data.boats rename f7 to seven; update data.boats set n = 77',
  )
  const after = (await latestChanges(pool, await readSchema(pool), 'boats', 7, 2))[1]
  const { f3, f5, f7, ...rest } = before?.after ?? {}
  expect(after).toMatchObject({ id: before?.id, kind: 'changed', after: { ...rest, f5: f3, f3: f5, seven: f7 } })
  expect([after?.after?.f7, after?.before?.f5, after?.before?.seven]).toEqual([undefined, before?.before?.f3, before?.before?.f7])
  expect([...(after?.changed ?? [])].sort()).toEqual((before?.changed ?? []).map((f) => ({ f3: 'f5', f5: 'f3', f7: 'seven' })[f] ?? f).sort())
})

test('a table has a most of fields, and a record a most of what it holds: each is said', async () => {
  const fields = Array.from({ length: MOST_FIELDS }, (_, i) => ({ name: `f${i}`, label: `F ${i}`, type: 'text' as const }))
  const wide = { name: 'wide', label: 'Wide', singular: 'one', titleField: 'f0', fields }
  await putTable(pool, wide)
  const more = { ...wide, fields: [{ name: 'one_more', label: 'One more', type: 'number' as const }] }
  await expect(putTable(pool, more)).rejects.toMatchObject({
    name: 'Refused',
    problems: [{ path: '/fields', message: 'The table has 751 fields; 750 are the most. Put some into another table that links to it.' }],
  })
  const known = (await readSchema(pool)).get('wide')
  if (!known) throw new Error('The table is not there.')
  const full = Object.fromEntries(fields.map((f) => [f.name, 'twenty letters and so on'.slice(0, 20)]))
  await expect(createRecord(pool, known, full)).rejects.toMatchObject({
    name: 'Refused',
    message: expect.stringMatching(/^Together the values are more than a row of the database can hold/),
  })
})
