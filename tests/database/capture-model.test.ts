import fc from 'fast-check'
import type { PoolClient } from 'pg'
import { compareIds } from '@/core/values/compare'
import type { Key } from '@/core/values/tables'
import { listChanges } from '@/store/changes'
import { one } from '@/store/database'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'
import { KEYS_TRIED, keyed, narrow } from '../support/keys'

type Row = Readonly<Record<'number' | 'status' | 'amount' | 'note', string | number | null>>
type State = ReadonlyMap<number, Row>

/** The n-th key, put in its place when the statement is run: what keys are differs. */
class Nth {
  constructor(readonly n: number) {}
}

/** One statement: what it does in SQL, and what it does to the state that the test keeps beside the database. */
interface Statement {
  readonly sql: string
  readonly params: readonly unknown[]
  readonly to: (state: State) => State
}

const FIELDS = ['number', 'status', 'amount', 'note'] as const
const id = fc.integer({ min: 1, max: 5 })
const row: fc.Arbitrary<Row> = fc.record({
  number: fc.constantFrom('A', 'B', null),
  status: fc.constantFrom('New', 'Settled', null),
  amount: fc.constantFrom(0, 10, 10.5, null),
  note: fc.constantFrom('x', 'X', '', null),
})

const insert = fc.tuple(id, row).map(
  ([key, values]): Statement => ({
    sql: 'insert into data.claims (id, number, status, amount, note) values ($1, $2, $3, $4, $5) on conflict (id) do update set number = $2, status = $3, amount = $4, note = $5',
    params: [new Nth(key), ...FIELDS.map((f) => values[f])],
    to: (state) => new Map([...state, [key, values]]),
  }),
)
const change = (sql: string, which: (key: number) => boolean, params: readonly unknown[], set: Partial<Row>): Statement => ({
  sql,
  params,
  to: (state) => new Map([...state].map(([key, values]) => [key, which(key) ? { ...values, ...set } : values])),
})
const update = fc
  .tuple(id, row)
  .map(([key, { status, note }]) => change('update data.claims set status = $2, note = $3 where id = $1', (k) => k === key, [new Nth(key), status, note], { status, note }))
const mass = row.map(({ amount }) => change('update data.claims set amount = $1', () => true, [amount], { amount }))
const remove = id.map((key): Statement => ({ sql: 'delete from data.claims where id = $1', params: [new Nth(key)], to: (state) => new Map([...state].filter(([k]) => k !== key)) }))
const rename = fc.tuple(id, id).map(
  ([from, to]): Statement => ({
    sql: 'update data.claims set id = $2 where id = $1 and not exists (select from data.claims where id = $2)',
    params: [new Nth(from), new Nth(to)],
    to: (state) => (state.has(to) ? state : new Map([...state].map(([key, values]) => [key === from ? to : key, values]))),
  }),
)
const clear = fc.constant<Statement>({ sql: 'truncate data.claims', params: [], to: () => new Map() })
const statement = fc.oneof({ weight: 5, arbitrary: insert }, { weight: 4, arbitrary: update }, { weight: 2, arbitrary: mass }, { weight: 3, arbitrary: remove }, rename, {
  weight: 1,
  arbitrary: clear,
})
/** Transactions that commit, and some that are rolled back. */
const transactions = fc.array(fc.record({ statements: fc.array(statement, { minLength: 1, maxLength: 7 }), commits: fc.constantFrom(true, true, true, false) }), {
  minLength: 1,
  maxLength: 8,
})

/** What a transaction comes to, record by record: the difference between what was and what is. */
function netOf(key: Key, before: State, after: State) {
  const keys = [...new Set([...before.keys(), ...after.keys()])].sort((a, b) => a - b)
  return keys.flatMap((record) => {
    const [was, is] = [before.get(record) ?? null, after.get(record) ?? null]
    if (was && is && FIELDS.every((f) => was[f] === is[f])) return []
    return [{ record: keyed(key, record), kind: was && is ? 'changed' : is ? 'created' : 'deleted', before: was, after: is }]
  })
}

async function run(client: PoolClient, key: Key, statements: readonly Statement[], commits: boolean): Promise<void> {
  await client.query('begin')
  for (const { sql, params } of statements)
    await client.query(
      sql,
      params.map((p) => (p instanceof Nth ? keyed(key, p.n) : p)),
    )
  await client.query(commits ? 'commit' : 'rollback')
}

const shown = (image: Readonly<Record<string, unknown>> | null) => image && Object.fromEntries(FIELDS.map((f) => [f, image[f] ?? null]))

let db: Awaited<ReturnType<typeof freshDatabase>>
let client: PoolClient
beforeEach(async () => {
  db = await freshDatabase()
  client = await db.pool.connect()
})
afterEach(async () => {
  client.release()
  await db.drop()
})

// A change of a record is what its transaction came to, whatever the statements were that it was made of.
test.each([...KEYS_TRIED, 'int'] as const)(
  'captured changes are the difference that each transaction made, and a transaction rolled back leaves none: keys are %s',
  async (kind) => {
    const { pool } = db
    const key = kind === 'int' ? 'number' : kind
    await makeClaims(pool, key)
    if (kind === 'int') await narrow(pool, 'claims')
    const schema = await readSchema(pool)
    await fc.assert(
      fc.asyncProperty(transactions, async (given) => {
        await client.query('truncate data.claims')
        let state: State = new Map()
        for (const { statements, commits } of given) {
          const { last } = await one<{ last: number }>(pool, 'select coalesce(max(id), 0) as last from rappel.change')
          await run(client, key, statements, commits)
          const after = commits ? statements.reduce((s, { to }) => to(s), state) : state
          const { changes } = await listChanges(pool, schema, { table: 'claims', after: last, limit: 100 })
          const captured = changes.map((c) => ({ record: c.record, kind: c.kind, before: shown(c.before), after: shown(c.after) })).sort((a, b) => compareIds(a.record, b.record))
          expect({ statements: statements.map((s) => s.sql), captured }).toEqual({ statements: statements.map((s) => s.sql), captured: netOf(key, state, after) })
          state = after
        }
      }),
      { numRuns: 50 },
    )
  },
  180_000,
)
