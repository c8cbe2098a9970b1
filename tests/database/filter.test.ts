import fc from 'fast-check'
import type { Pool } from 'pg'
import { type Clause, type Condition, OPS } from '@/core/conditions/clause'
import { compileCondition, type Setting } from '@/core/conditions/compile'
import { OPERATORS } from '@/core/conditions/operators'
import { conditionSql, NotFilterable } from '@/core/conditions/sql'
import { LoadedLookups } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { many, quote, tableName } from '@/store/database'
import { listRecords } from '@/store/records'
import { readSchema } from '@/store/tables'
import { CLAIMS, INES, makeClaims, RAFI } from '../support/claims'
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

const text = fc.oneof(
  fc.constantFrom('', ' ', 'a', 'A', 'ab', ' aB\u00a0', 'Ärger', 'ÄRGER', '%', '_', '50%', "o'clock", '\\', 'ﬀ', '🚢'),
  fc.string({ maxLength: 4 }).filter((s) => !s.includes('\u0000') && s.isWellFormed()),
)
const number = fc.oneof(fc.integer({ min: -3, max: 3 }), fc.constantFrom(0.1, 0.3, 10, 1e15))
const day = fc.constantFrom('2026-02-28', '2026-03-01', '2026-03-03', '2026-03-04', '2026-12-31')
const VALUES: Record<string, fc.Arbitrary<string | number | null>> = {
  number: text,
  note: text,
  contact_email: text,
  status: fc.constantFrom('New', 'In review', 'Settled', 'new'),
  amount: number,
  due: day,
  owner: fc.constantFrom(INES, RAFI),
}

const clause: fc.Arbitrary<Clause> = fc.constantFrom(...Object.keys(VALUES), 'owner.team', 'owner.manager.name').chain((field) => {
  const name = field.split('.').pop() as string
  const type = field.includes('.') ? 'text' : (CLAIMS.fields.find((f) => f.name === name)?.type ?? 'text')
  const value = VALUES[field] ?? text
  const ops = OPS.filter((op) => OPERATORS[op].on(type) && OPERATORS[op].sql)
  return fc.constantFrom(...ops).chain((op) => {
    const { operand } = OPERATORS[op]
    const one: fc.Arbitrary<unknown> =
      operand === 'many' ? fc.array(value, { maxLength: 3 }) : operand === 'span' ? fc.constantFrom({ days: 1 }, { days: 300 }, { hours: 30 }) : value
    return fc.record({ field: fc.constant(field), op: fc.constant(op), value: one, to: value }) as fc.Arbitrary<Clause>
  })
})

const { condition } = fc.letrec<{ condition: Condition }>((tie) => ({
  condition: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    clause,
    fc.record({ all: fc.array(tie('condition'), { maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('condition'), { maxLength: 3 }) }),
    fc.record({ none: fc.array(tie('condition'), { maxLength: 3 }) }),
  ) as fc.Arbitrary<Condition>,
}))

const blankOr = <T>(value: fc.Arbitrary<T>) => fc.option(value, { nil: null, freq: 4 })
const image = fc.record({
  number: blankOr(text),
  note: blankOr(text),
  contact_email: blankOr(text),
  status: blankOr(VALUES.status as fc.Arbitrary<string>),
  amount: blankOr(number),
  due: blankOr(day),
  owner: fc.constantFrom(INES, RAFI, null),
})

// The four readings of a condition must agree; here the test, the explanation and the SQL over a table, on a real server.
test('test, explanation and SQL agree on random conditions and records', async () => {
  const batch = fc.tuple(fc.array(image, { minLength: 8, maxLength: 8 }), fc.array(condition, { minLength: 8, maxLength: 8 }))
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
