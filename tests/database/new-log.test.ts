import type { Pool } from 'pg'
import { latestChanges } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { putTable, readSchema } from '@/store/tables'
import { actAs } from '@/store/who'
import { freshDatabase } from '../support/database'

/** The log of a new table: its months, and its columns however many there are. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
})
afterEach(() => db.drop())

/** Parts of the log of the first table, in order. */
const parts = async () =>
  (await many<{ name: string }>(pool, `select relname as name from pg_class where relispartition and relkind = 'r' and relname like 'log\\_1\\_%' order by 1`)).map((r) => r.name)

const month = (ahead: number) => {
  const now = new Date()
  return new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() + ahead, 1)).toISOString().slice(0, 7).replace('-', '_')
}

const table = (name: string, fields: number) => ({
  name,
  label: name,
  singular: 'ship',
  titleField: 'field_0',
  fields: Array.from({ length: fields }, (_, i) => ({ name: `field_${i}`, label: `Field ${i}`, type: 'number' as const })),
})

test('it has room for this month and the next, its own alone, and what a clock set back writes is found as well', async () => {
  await putTable(pool, table('ships', 2))
  expect(await parts()).toEqual([`log_1_${month(0)}`, `log_1_${month(1)}`, 'log_1_other'])
  await pool.query(`drop table rappel.log_1_${month(1)}`)
  await putTable(pool, table('boats', 2))
  expect(await parts()).toEqual([`log_1_${month(0)}`, 'log_1_other'])

  await pool.query('insert into data.ships (field_0) values (1)')
  await transaction(pool, async (client) => {
    await actAs(client, { by: { kind: 'system', person: null, name: 'history' }, clock: new Date(Date.now() - 400 * 86_400_000) })
    await client.query('update data.ships set field_1 = 7')
  })
  const [newest, oldest] = await latestChanges(pool, await readSchema(pool), 'ships', null, 10)
  expect(newest).toMatchObject({ kind: 'changed', before: { field_1: null }, after: { field_1: 7 } })
  expect(oldest).toMatchObject({ kind: 'created' })
  expect(await one(pool, 'select (select count(*)::int from rappel.log_1_other) as other')).toEqual({ other: 1 })
})

test('two hundred columns, and one that comes later, are each recorded by their own', async () => {
  await putTable(pool, table('ships', 200))
  await pool.query('insert into data.ships (field_0) values (1)')
  for (const field of ['field_0', 'field_62', 'field_63', 'field_130', 'field_199']) await pool.query(`update data.ships set ${field} = 5`)
  await putTable(pool, table('ships', 201))
  await pool.query('update data.ships set field_200 = 6')
  const changes = await latestChanges(pool, await readSchema(pool), 'ships', null, 10)
  expect(changes.map((change) => change.changed)).toEqual([['field_200'], ['field_199'], ['field_130'], ['field_63'], ['field_62'], ['field_0'], ['field_0']])
  expect(changes[0]?.after).toMatchObject({ field_0: 5, field_63: 5, field_199: 5, field_200: 6 })
})
