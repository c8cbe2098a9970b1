import fc from 'fast-check'
import type { Pool } from 'pg'
import { compileCondition, type Setting } from '@/core/conditions/compile'
import { conditionSql, NotFilterable } from '@/core/conditions/sql'
import type { Clause } from '@/core/document/condition'
import { LoadedLookups } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { many, quote, tableName } from '@/store/database'
import { listRecords } from '@/store/records'
import { readSchema } from '@/store/tables'
import { CLAIMS, INES, makeClaims, RAFI } from '../support/claims'
import { conditionOver, image } from '../support/conditions'
import { loadedWorld, ORGANISATION } from '../support/core'
import { freshDatabase } from '../support/database'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let setting: Setting
let people: Image[]
const NOW = new Date('2026-03-03T12:00:00Z')

beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  const { ines, rafi } = await makeClaims(pool)
  setting = {
    schema: await readSchema(pool),
    organisation: ORGANISATION,
    people: new Map([
      [INES, ines],
      [RAFI, rafi],
    ]),
  }
  people = (await many<{ image: Image }>(pool, 'select to_jsonb(p) as image from rappel.person p')).map((r) => r.image)
})
afterAll(() => db.drop())

// The four readings of a condition must agree; here the test, the explanation and the SQL over a table, on a real server.
test('test, explanation and SQL agree on random conditions and records', async () => {
  const batch = fc.tuple(fc.array(image, { minLength: 8, maxLength: 8 }), fc.array(conditionOver(false), { minLength: 8, maxLength: 8 }))
  await fc.assert(
    fc.asyncProperty(batch, async ([images, conditions]) => {
      await pool.query('truncate data.claims')
      const given = images.map((i) => ({ ...i, owner: i.owner === null ? null : (setting.people.get(i.owner) ?? null) }))
      await pool.query(
        `insert into data.claims (number, note, contact_email, status, amount, due, owner)
         select number, note, contact_email, status, amount, due, owner from jsonb_to_recordset($1::jsonb)
           as r (number text, note text, contact_email text, status text, amount numeric, due date, owner bigint)`,
        [JSON.stringify(given)],
      )
      const records = await listRecords(pool, CLAIMS, setting, { order: 'id', limit: 100 })
      const world = loadedWorld(people.map((p) => [`record person ${p.id}`, p]))
      for (const one of conditions) {
        const sql = conditionSql(one, CLAIMS, setting, { quote, table: tableName }, 't', NOW)
        const rows = await many<{ id: number; holds: boolean | null }>(pool, `select id, ${sql.text} as holds from data.claims t order by id`, [...sql.params])
        const compiled = compileCondition(one, CLAIMS, setting, '')
        const tested = records.map((record) => {
          const facts = {
            kind: 'changed' as const,
            before: record,
            after: record,
            at: NOW,
            by: { kind: 'system' as const, person: null, name: '' },
            lookups: new LoadedLookups(world),
            organisation: ORGANISATION,
          }
          const holds = compiled.test(facts)
          if ('op' in one) expect(compiled.explain(facts)[0]?.holds).toBe(holds)
          return { id: record.id, holds }
        })
        expect({ condition: one, rows }).toEqual({ condition: one, rows: tested })
      }
    }),
    { numRuns: 80, endOnFailure: true },
  )
}, 120_000)

test('change operators and fields that are not there are refused in words', () => {
  const sql = (c: Clause) => () => conditionSql(c, CLAIMS, setting, { quote, table: tableName }, 't', NOW)
  expect(sql({ field: 'status', op: 'changed' })).toThrow(NotFilterable)
  expect(sql({ field: 'shoe', op: 'is blank' })).toThrow('no field "shoe"')
})
