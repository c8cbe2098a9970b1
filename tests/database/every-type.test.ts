import fc from 'fast-check'
import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { compileCondition } from '@/core/conditions/compile'
import { OPERATORS } from '@/core/conditions/operators'
import { conditionSql } from '@/core/conditions/sql'
import { type Condition, OPS } from '@/core/document/condition'
import { LoadedLookups } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import { listChanges } from '@/store/changes'
import { many, quote, tableName } from '@/store/database'
import { createFile } from '@/store/files'
import { listRecords } from '@/store/records'
import { putTable, readSchema } from '@/store/tables'
import { firesBy, lastChange, throughSql, writeAs } from '../support/agreement'
import { INES, makeClaims, RAFI } from '../support/claims'
import { conditionOver } from '../support/conditions'
import { loadedWorld, SURROUNDINGS } from '../support/core'
import { freshDatabase } from '../support/database'
import { keyed } from '../support/keys'
import { KEYED, VISIT_SUBJECT, VISITS, visit } from '../support/visits'

const NOW = new Date('2026-03-03T12:00:00Z')
const COLUMNS = VISITS.fields.map((f) => f.name)

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let surroundings: Surroundings
let people: Map<string, number>
let world: Map<string, unknown>

beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  const { ines, rafi } = await makeClaims(pool)
  people = new Map([
    [INES, ines],
    [RAFI, rafi],
  ])
  for (const table of [...KEYED, VISITS]) await putTable(pool, table)
  for (const n of [1, 2, 3]) {
    await pool.query('insert into data.berths (id, name, length) values ($1, $2, $3)', [keyed('uuid', n), `Berth ${n}`, [2, null, 10][n - 1]])
    await pool.query('insert into data.pilots (id, name) values ($1, $2)', [keyed('text', n), ['ab', null, 'Ärger'][n - 1]])
  }
  await pool.query(
    `insert into data.claims (status, amount, due, owner) values ('New', 10, '2026-03-03', $1), ('Settled', null, null, $2), ('In review', 0.3, '2026-02-28', null)`,
    [ines, rafi],
  )
  for (const name of ['a.txt', 'b.txt', 'c.txt']) await createFile(pool, { name, type: 'text/plain', content: Buffer.from(name) }, null)
  surroundings = { ...SURROUNDINGS, schema: await readSchema(pool), people }
  const images = async (table: string, name: string) =>
    (await many<{ image: Image }>(pool, `select to_jsonb(t) as image from ${table} t`)).map((r) => [`record ${name} ${r.image.id}`, r.image] as [string, unknown])
  world = loadedWorld([
    ...(await images('rappel.person', 'person')),
    ...(await images('data.claims', 'claims')),
    ...(await images('data.berths', 'berths')),
    ...(await images('data.pilots', 'pilots')),
  ])
}, 60_000)
afterAll(() => db.drop())

const valuesOf = (image: Image) => COLUMNS.map((name) => (name === 'host' && image.host ? (people.get(String(image.host)) ?? null) : (image[name] ?? null)))
const places = COLUMNS.map((_, i) => `$${i + 2}`)

test('the subject has every type, and every operator fits some field of it', () => {
  const types = new Set(VISITS.fields.map((f) => f.type))
  expect(types.size).toBe(14)
  expect(OPS.filter((op) => ![...types].some((type) => OPERATORS[op].on(type)))).toEqual([])
})

// The four readings of a condition must agree on every type; here over a table.
test('test and SQL over a table agree on random conditions over records with fields of every type', async () => {
  const batch = fc.tuple(fc.array(visit, { minLength: 8, maxLength: 8 }), fc.array(conditionOver(false, VISIT_SUBJECT), { minLength: 10, maxLength: 10 }))
  let cases = 0
  await fc.assert(
    fc.asyncProperty(batch, async ([images, conditions]) => {
      await pool.query('truncate data.visits')
      for (const image of images)
        await pool.query(`insert into data.visits (id, ${COLUMNS.join(', ')}) values (default, ${places.map((_, i) => `$${i + 1}`).join(', ')})`, valuesOf(image))
      const records = await listRecords(pool, VISITS, surroundings, { order: 'id', limit: 100 })
      for (const condition of conditions) {
        const sql = conditionSql(condition, VISITS, surroundings, { quote, table: tableName }, 't', NOW)
        const rows = await many<{ id: number; holds: boolean | null }>(pool, `select id, ${sql.text} as holds from data.visits t order by id`, [...sql.params])
        const compiled = compileCondition(condition, VISITS, surroundings, '')
        const tested = records.map((record) => {
          const by = { kind: 'system' as const, person: null, name: '' }
          const facts = { kind: 'changed' as const, before: record, after: record, at: NOW, by, lookups: new LoadedLookups(world), organisation: surroundings.organisation }
          return { id: record.id, holds: compiled.test(facts) }
        })
        expect({ condition, rows }).toEqual({ condition, rows: tested })
        cases += records.length
      }
    }),
    { numRuns: 60, endOnFailure: true },
  )
  expect(cases).toBeGreaterThan(4_000)
}, 180_000)

const fires = (condition: Condition, firing: 'entering' | 'every', change: Change, explain: boolean) =>
  firesBy(explain ? 'explanation' : 'test', surroundings, VISITS, world, condition, firing, change)

/** Adds records, changes them, deletes one; answers the changes captured. */
async function happen(pairs: readonly (readonly [Image, Image])[], by: number): Promise<{ start: number; changes: Change[] }> {
  await pool.query('truncate data.visits')
  const start = await lastChange(pool)
  const write = (text: string, params: unknown[]) => writeAs(pool, by, text, params)
  const ids = await many<{ id: number }>(pool, `select nextval(pg_get_serial_sequence('data.visits', 'id')) as id from generate_series(1, $1)`, [pairs.length])
  for (const [i, [before]] of pairs.entries())
    await write(`insert into data.visits (id, ${COLUMNS.join(', ')}) values ($1, ${places.join(', ')})`, [ids[i]?.id, ...valuesOf(before)])
  for (const [i, [, after]] of pairs.entries())
    await write(`update data.visits set ${COLUMNS.map((name, k) => `${name} = ${places[k]}`).join(', ')} where id = $1`, [ids[i]?.id, ...valuesOf(after)])
  await write('delete from data.visits where id = $1', [ids[0]?.id])
  return { start, changes: (await listChanges(pool, surroundings.schema, { table: 'visits', after: start, limit: 1_000 })).changes }
}

// … and over the change log, with the operators that look at changes.
test('test, explanation and SQL over the log agree on random conditions over changes of fields of every type', async () => {
  const batch = fc.tuple(
    fc.array(fc.tuple(visit, visit), { minLength: 5, maxLength: 5 }),
    fc.array(fc.tuple(conditionOver(true, VISIT_SUBJECT), fc.constantFrom('entering' as const, 'every' as const)), { minLength: 14, maxLength: 14 }),
    fc.constantFrom(INES, RAFI),
  )
  let cases = 0
  await fc.assert(
    fc.asyncProperty(batch, async ([pairs, conditions, by]) => {
      const { start, changes } = await happen(pairs, people.get(by) as number)
      for (const [condition, firing] of conditions) {
        const tested = changes.filter((change) => fires(condition, firing, change, false)).map((change) => change.id)
        const explained = changes.filter((change) => fires(condition, firing, change, true)).map((change) => change.id)
        expect({ condition, firing, fires: await throughSql(pool, VISITS, surroundings, condition, firing, start) }).toEqual({ condition, firing, fires: tested })
        expect({ condition, firing, fires: explained }).toEqual({ condition, firing, fires: tested })
        cases += changes.length
      }
    }),
    { numRuns: 40, endOnFailure: true },
  )
  expect(cases).toBeGreaterThan(5_000)
}, 240_000)
