import fc from 'fast-check'
import type { Pool, PoolClient } from 'pg'
import type { Schema } from '@/core/values/tables'
import { busyShards, claimChanges, takeShards } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { asArguments, BEGINNING, type Floor, findFloor, type Moment, NO_FLOOR, noteMoment } from '@/store/floor'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'

const WRITERS = 3

/** What happens next: a writer changes a record, or ends its transaction; a floor is found, as of the moment noted last and with one noted before it; what waits is taken off the queue. */
type Step =
  | { readonly do: 'write'; readonly writer: number; readonly record: number }
  | { readonly do: 'end'; readonly writer: number; readonly commits: boolean }
  | { readonly do: 'note' | 'find' | 'anew' | 'take' }

const writer = fc.integer({ min: 0, max: WRITERS - 1 })
const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 6, arbitrary: fc.record({ do: fc.constant('write' as const), writer, record: fc.integer({ min: 1, max: 4 }) }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('end' as const), writer, commits: fc.constantFrom(true, true, true, false) }) },
  {
    weight: 8,
    arbitrary: fc.record({ do: fc.constantFrom('note' as const, 'find' as const, 'note' as const, 'find' as const, 'take' as const, 'take' as const, 'anew' as const) }),
  },
)

/** Values that no record had before. */
let values = 0
const nextValue = () => ++values

/** Writers, each with a transaction that is open or not; who would wait for another's record leaves it. */
class Writers {
  private readonly open = new Set<number>()
  private readonly holds = new Map<number, number>()
  private readonly written = new Map<number, number>()
  /** The values that were committed, record by record, in the order of commits. */
  readonly committed = new Map<number, number[]>()

  constructor(private readonly clients: readonly PoolClient[]) {}

  private client = (writer: number) => this.clients[writer] as PoolClient

  async write(writer: number, record: number): Promise<void> {
    const holder = this.holds.get(record)
    if (holder !== undefined && holder !== writer) return
    if (!this.open.has(writer)) await this.client(writer).query('begin')
    this.open.add(writer)
    this.holds.set(record, writer)
    const value = nextValue()
    await this.client(writer).query('update data.claims set amount = $2 where id = $1', [record, value])
    this.written.set(record, value)
  }

  async end(writer: number, commits: boolean): Promise<void> {
    if (!this.open.delete(writer)) return
    await this.client(writer).query(commits ? 'commit' : 'rollback')
    for (const [record, holder] of this.holds) {
      if (holder !== writer) continue
      this.holds.delete(record)
      if (commits) this.committed.set(record, [...(this.committed.get(record) ?? []), this.written.get(record) ?? 0])
    }
  }
}

async function take(pool: Pool, schema: Schema, floor: Floor, taken: Map<number, number[]>): Promise<void> {
  const shards = await busyShards(pool, floor)
  await transaction(pool, async (tx) => {
    const { changes } = await claimChanges(tx, await takeShards(tx, shards), 500, schema, floor)
    for (const { record, after } of changes) taken.set(Number(record), [...(taken.get(Number(record)) ?? []), Number(after?.amount)])
  })
}

let db: Awaited<ReturnType<typeof freshDatabase>>
const clients: PoolClient[] = []
beforeEach(async () => {
  db = await freshDatabase()
  for (let i = 0; i < WRITERS; i++) clients.push(await db.pool.connect())
})
afterEach(async () => {
  for (const client of clients.splice(0)) client.release(true)
  await db.drop()
})

// However long transactions stay open: what was committed is seen by the next look, each once, and of a record in order.
test('what is looked for above a floor is all there is, in order', async () => {
  const { pool } = db
  await makeClaims(pool)
  await pool.query('insert into data.claims (id, amount) overriding system value select g, 0 from generate_series(1, 4) g')
  await pool.query('delete from rappel.queue')
  const schema = await readSchema(pool)
  const moments: Moment[] = [BEGINNING]
  let [floor, raised, between]: [Floor, number, number] = [NO_FLOOR, 0, 0]
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 40 }), async (steps) => {
      const writers = new Writers(clients)
      const taken = new Map<number, number[]>()
      for (const one of steps) {
        if (one.do === 'write') await writers.write(one.writer, one.record)
        else if (one.do === 'end') await writers.end(one.writer, one.commits)
        else if (one.do === 'note') moments.push(await noteMoment(pool))
        else if (one.do === 'take') {
          await take(pool, schema, floor, taken)
          expect(taken).toEqual(writers.committed)
        } else {
          const [before = BEGINNING, moment = BEGINNING] = moments.slice(-2)
          floor = await findFloor(pool, moment, one.do === 'anew' ? NO_FLOOR : floor, before)
          if (floor.id > 0) raised++
          if (floor.lows.some((low) => low > 0)) between++
        }
      }
      for (let i = 0; i < WRITERS; i++) await writers.end(i, true)
      await take(pool, schema, floor, taken)
      expect(taken).toEqual(writers.committed)
    }),
    { numRuns: 200 },
  )
  expect(raised).toBeGreaterThan(20)
  expect(between).toBeGreaterThan(30) // how often a number of a transaction’s own went with it
}, 120_000)

test('the very first change is above the floor', async () => {
  const { pool } = db
  await makeClaims(pool)
  await pool.query('alter sequence rappel.change_id restart')
  await pool.query('delete from rappel.queue')
  const floor = await findFloor(pool, await noteMoment(pool), NO_FLOOR)
  await pool.query('insert into data.claims default values')
  expect(await one(pool, 'select change_id as first from rappel.queue')).toEqual({ first: 1 })
  expect(await busyShards(pool, floor)).toHaveLength(1)
})

test('as long as a transaction is open, what was taken off the queue meanwhile is not gone through again', async () => {
  const { pool } = db
  await makeClaims(pool)
  const [long, late, later] = clients as [PoolClient, PoolClient, PoolClient]
  await long.query('begin isolation level repeatable read')
  await long.query('select 1') // sees the database as it is now, so that nothing that is deleted goes
  await late.query('begin')
  const { id: first } = await one<{ id: number }>(late, 'insert into data.claims default values returning id')
  await later.query('begin')
  const schema = await readSchema(pool)
  const taken = new Map<number, number[]>()
  for (let i = 0; i < 20; i++) {
    await pool.query('insert into data.claims (amount) select g from generate_series(1, 100) g')
    await take(pool, schema, NO_FLOOR, taken)
  }
  const before = await noteMoment(pool)
  const { id: second } = await one<{ id: number }>(later, 'insert into data.claims default values returning id')
  const floor = await untilSteady(pool, await noteMoment(pool), before)
  const [high, low] = [await readBlocks(pool, floor), await readBlocks(pool, NO_FLOOR)]
  expect(high).toBeLessThan(low / 4)
  await later.query('commit')
  expect(await readBlocks(pool, floor)).toBeLessThan(low / 4) // it began after all that was taken off
  await take(pool, schema, floor, taken)
  expect([taken.has(first), taken.has(second)]).toEqual([false, true])
  await late.query('commit')
  await take(pool, schema, floor, taken)
  expect(taken.has(first)).toBe(true)
}, 60_000)

/** A floor below which the two that write may write, the one that only reads writes nothing; not one that a transaction of another database, which other tests use, keeps down. */
async function untilSteady(pool: Pool, moment: Moment, before: Moment): Promise<Floor> {
  for (;;) {
    const floor = await findFloor(pool, moment, NO_FLOOR, before)
    if (floor.running.length === 2) return floor
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

/** How many blocks are read to find the shards that have something to handle. */
async function readBlocks(pool: Pool, floor: Floor): Promise<number> {
  const lines = await many<{ 'QUERY PLAN': string }>(pool, 'explain (analyze, buffers) select * from rappel.busy_shards($1, $2::text[]::xid8[], $3::bigint[])', asArguments(floor))
  const executed =
    lines
      .map((line) => line['QUERY PLAN'])
      .join('\n')
      .split('Planning:')[0] ?? ''
  return Math.max(0, ...[...executed.matchAll(/shared hit=(\d+)/g)].map(([, blocks]) => Number(blocks)))
}
