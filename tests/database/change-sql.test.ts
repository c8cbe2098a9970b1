import fc from 'fast-check'
import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import type { Condition } from '@/core/document/condition'
import type { Image } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import { listChanges } from '@/store/changes'
import { many } from '@/store/database'
import { readSchema } from '@/store/tables'
import { firesBy, lastChange, throughSql, writeAs } from '../support/agreement'
import { CLAIMS, INES, makeClaims, RAFI } from '../support/claims'
import { conditionOver, image } from '../support/conditions'
import { loadedWorld, SURROUNDINGS } from '../support/core'
import { freshDatabase } from '../support/database'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let surroundings: Surroundings
let world: Map<string, unknown>
let people: Map<string, number>

beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  const { ines, rafi } = await makeClaims(pool)
  people = new Map([
    [INES, ines],
    [RAFI, rafi],
  ])
  surroundings = { ...SURROUNDINGS, schema: await readSchema(pool), people }
  const images = await many<{ image: Image }>(pool, 'select to_jsonb(p) as image from rappel.person p')
  world = loadedWorld(images.map((r) => [`record person ${r.image.id}`, r.image]))
})
afterAll(() => db.drop())

const through = (condition: Condition, firing: 'entering' | 'every', after: number) => throughSql(pool, CLAIMS, surroundings, condition, firing, after)
const fires = (condition: Condition, firing: 'entering' | 'every', change: Change, explain: boolean) =>
  firesBy(explain ? 'explanation' : 'test', surroundings, CLAIMS, world, condition, firing, change)

/** Creates records, changes them and deletes some, as real transactions; answers what capture made of it. */
async function happen(pairs: readonly (readonly [Image, Image])[], by: number): Promise<{ start: number; changes: Change[] }> {
  const start = await lastChange(pool)
  const columns = ['number', 'note', 'contact_email', 'status', 'amount', 'due', 'owner']
  const write = (text: string, params: unknown[]) => writeAs(pool, by, text, params)
  const values = (i: Image) => columns.map((c) => (c === 'owner' && i.owner ? (people.get(String(i.owner)) ?? null) : i[c]))
  const ids: number[] = []
  for (const [before] of pairs) {
    const [row] = await many<{ id: number }>(pool, 'select nextval(pg_get_serial_sequence($1, $2)) as id', ['data.claims', 'id'])
    ids.push(row?.id as number)
    await write(`insert into data.claims (id, ${columns.join(', ')}) values ($1, $2, $3, $4, $5, $6, $7, $8)`, [row?.id, ...values(before)])
  }
  for (const [i, [, after]] of pairs.entries())
    await write(`update data.claims set ${columns.map((c, k) => `${c} = $${k + 2}`).join(', ')} where id = $1`, [ids[i], ...values(after)])
  await write('delete from data.claims where id = any($1)', [ids.slice(0, 2)])
  return { start, changes: (await listChanges(pool, surroundings.schema, { table: 'claims', after: start, limit: 1_000 })).changes }
}

// The same condition read over the change log must let through exactly what the compiled test and the explanation let fire.
test('test, explanation and SQL over the change log agree on random conditions and changes', async () => {
  const firing = fc.constantFrom('entering' as const, 'every' as const)
  const batch = fc.tuple(
    fc.array(fc.tuple(image, image), { minLength: 5, maxLength: 5 }),
    fc.array(fc.tuple(conditionOver(true), firing), { minLength: 12, maxLength: 12 }),
    fc.constantFrom(INES, RAFI),
  )
  let cases = 0
  await fc.assert(
    fc.asyncProperty(batch, async ([pairs, conditions, by]) => {
      const { start, changes } = await happen(pairs, people.get(by) as number)
      for (const [condition, one] of conditions) {
        const sql = await through(condition, one, start)
        const tested = changes.filter((change) => fires(condition, one, change, false)).map((change) => change.id)
        const explained = changes.filter((change) => fires(condition, one, change, true)).map((change) => change.id)
        expect({ condition, one, fires: sql }).toEqual({ condition, one, fires: tested })
        expect({ condition, one, fires: explained }).toEqual({ condition, one, fires: tested })
        cases += changes.length
      }
    }),
    { numRuns: 45, endOnFailure: true },
  )
  expect(cases).toBeGreaterThan(5_000)
}, 240_000)

test('a formula lets more through than fires, never less, also where it is negated', async () => {
  const { start, changes } = await happen(
    [1, 5, 9].map((amount) => [
      { amount, status: 'New' },
      { amount: amount + 1, status: 'Settled' },
    ]),
    people.get(INES) as number,
  )
  const formula: Condition = { field: 'amount', op: 'at least', value: { formula: '3 + 3' } }
  for (const condition of [formula, { none: [formula] }, { all: [formula, { field: 'status', op: 'is', value: 'Settled' }] }] as Condition[]) {
    for (const firing of ['entering', 'every'] as const) {
      const sql = new Set(await through(condition, firing, start))
      expect(changes.filter((change) => fires(condition, firing, change, false) && !sql.has(change.id))).toEqual([])
    }
  }
})
