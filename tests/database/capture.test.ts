import { execFileSync } from 'node:child_process'
import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { compareIds } from '@/core/values/compare'
import type { RecordId, Schema } from '@/core/values/tables'
import { busyShards, claimChanges, listChanges, takeShard } from '@/store/changes'
import { createClient, many, one, transaction } from '@/store/database'
import { writing } from '@/store/records'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { asSuperuser, forgetChanges, freshDatabase } from '../support/database'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let schema: Schema
let ines: number

beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  ines = (await makeClaims(pool)).ines
  schema = await readSchema(pool)
})
afterAll(() => db.drop())
beforeEach(async () => {
  await pool.query('delete from data.claims')
  await forgetChanges(pool)
})

const insert = (status = 'New') => one<{ id: number }>(pool, 'insert into data.claims (status, amount) values ($1, 10) returning id', [status])
const changes = async () => (await listChanges(pool, schema, { limit: 100 })).changes.map(({ kind, record, changed, before, after }) => ({ kind, record, changed, before, after }))

test('an insert is captured with its image and the fields that are filled', async () => {
  const { id } = await insert()
  expect(await changes()).toEqual([
    { kind: 'created', record: id, changed: ['number', 'status', 'amount'], before: null, after: expect.objectContaining({ id, status: 'New', amount: 10 }) },
  ])
})

test('an update knows the whole image before it and which fields changed', async () => {
  const { id } = await insert()
  await pool.query(`update data.claims set status = 'Settled', amount = 20 where id = $1`, [id])
  const [, change] = await changes()
  expect(change).toMatchObject({ kind: 'changed', changed: ['status', 'amount'], before: { id, status: 'New', amount: 10 }, after: { status: 'Settled', amount: 20 } })
  expect(change?.before?.number).toBe(change?.after?.number)
})

test('the log keeps only the old values of changed fields before an update', async () => {
  const { id } = await insert()
  await pool.query(`update data.claims set status = 'Settled' where id = $1`, [id])
  const { before } = await one<{ before: object }>(pool, `select before - 'updated_at' as before from rappel.change where kind = 'changed'`)
  expect(before).toEqual({ status: 'New' })
})

test('an update that changes nothing, or only housekeeping fields, leaves no row', async () => {
  const { id } = await insert()
  await pool.query('update data.claims set status = status, amount = 10.00 where id = $1', [id])
  await pool.query("update data.claims set updated_at = now() + interval '1 day' where id = $1", [id])
  expect(await changes()).toHaveLength(1)
})

test('insert then update in one transaction is one creation with the final image', async () => {
  await transaction(pool, async (tx) => {
    const { id } = await one<{ id: number }>(tx, "insert into data.claims (status) values ('New') returning id")
    await tx.query(`update data.claims set status = 'Settled' where id = $1`, [id])
  })
  expect(await changes()).toEqual([expect.objectContaining({ kind: 'created', before: null, after: expect.objectContaining({ status: 'Settled' }) })])
})

test('insert then delete in one transaction is nothing', async () => {
  await transaction(pool, async (tx) => {
    const { id } = await one<{ id: number }>(tx, 'insert into data.claims default values returning id')
    await tx.query('delete from data.claims where id = $1', [id])
  })
  expect(await changes()).toEqual([])
})

test('an update that ends where it began is nothing', async () => {
  const { id } = await insert()
  await transaction(pool, async (tx) => {
    await tx.query(`update data.claims set status = 'Settled' where id = $1`, [id])
    await tx.query(`update data.claims set status = 'New' where id = $1`, [id])
  })
  expect(await changes()).toHaveLength(1)
})

test('delete then insert of the same id in one transaction is a change', async () => {
  const { id } = await insert()
  await transaction(pool, async (tx) => {
    await tx.query('delete from data.claims where id = $1', [id])
    await tx.query(`insert into data.claims (id, number, status, amount) values ($1, 'CL-X', 'New', 10)`, [id])
  })
  expect((await changes())[1]).toMatchObject({ kind: 'changed', record: id, changed: ['number'] })
})

test('a changed key is a deletion and a creation', async () => {
  const { id } = await insert()
  await pool.query('update data.claims set id = $1 where id = $2', [id + 1000, id])
  const [, ...rest] = await changes()
  expect(rest.map(({ kind, record }) => ({ kind, record })).sort((a, b) => compareIds(a.record, b.record))).toEqual([
    { kind: 'deleted', record: id },
    { kind: 'created', record: id + 1000 },
  ])
})

test('TRUNCATE is captured as deletions', async () => {
  await insert()
  await insert()
  await pool.query('truncate data.claims')
  expect((await changes()).map((c) => c.kind)).toEqual(['created', 'created', 'deleted', 'deleted'])
})

test('a link set to null by a deletion elsewhere is a change like any other', async () => {
  const { id: person } = await one<{ id: number }>(pool, `insert into rappel.person (name, email) values ('Gone', 'gone@office.example') returning id`)
  const { id } = await one<{ id: number }>(pool, 'insert into data.claims (owner) values ($1) returning id', [person])
  await pool.query('delete from rappel.person where id = $1', [person])
  expect((await changes())[1]).toMatchObject({ kind: 'changed', record: id, changed: ['owner'], before: { owner: person }, after: { owner: null } })
})

test('what is rolled back leaves nothing', async () => {
  await expect(
    transaction(pool, async (tx) => {
      await tx.query('insert into data.claims default values')
      throw new Error('no')
    }),
  ).rejects.toThrow('no')
  expect(await changes()).toEqual([])
  expect(await busyShards(pool)).toEqual([])
})

test('a mass update is one change a record', async () => {
  await pool.query('insert into data.claims (amount) select g from generate_series(1, 1000) g')
  await pool.query(`update data.claims set status = 'In review' where amount > 500`)
  const rows = await many<{ kind: string; count: number }>(pool, 'select kind, count(*) as count from rappel.change group by kind order by kind')
  expect(rows).toEqual([
    { kind: 'changed', count: 500 },
    { kind: 'created', count: 1000 },
  ])
})

test('a change knows who made it and which run caused it', async () => {
  const by = { kind: 'person' as const, person: ines, name: 'Ines Okafor' }
  await writing(pool, { by, run: 77, depth: 2 }, (tx) => tx.query('insert into data.claims default values').then(() => undefined))
  const [change] = (await listChanges(pool, schema, { limit: 1 })).changes
  expect(change).toMatchObject({ by, run: 77, depth: 2 })
})

test('a write by another program is by the system, under the database user’s name', async () => {
  await insert()
  const [change] = (await listChanges(pool, schema, { limit: 1 })).changes
  expect(change?.by).toEqual({ kind: 'system', person: null, name: 'rappel' })
})

async function drain(limit: number): Promise<{ record: RecordId; id: number }[]> {
  const all: { record: RecordId; id: number }[] = []
  for (const shard of await busyShards(pool)) {
    await transaction(pool, async (tx) => {
      expect(await takeShard(tx, shard)).toBe(true)
      all.push(...(await claimChanges(tx, [shard], limit, schema)).changes)
    })
  }
  return all
}

test('a transaction that commits late is not skipped by one with a higher id that was claimed before', async () => {
  const late = await pool.connect()
  await late.query('begin')
  const { id: first } = await one<{ id: number }>(late, 'insert into data.claims default values returning id')
  const { id: second } = await insert()
  expect((await drain(500)).map((c) => c.record)).toEqual([second])
  await late.query('commit')
  late.release()
  expect((await drain(500)).map((c) => c.record)).toEqual([first])
})

test('a batch never splits one transaction’s changes to one record', async () => {
  const { id } = await insert()
  await drain(500)
  await transaction(pool, async (tx) => {
    for (let i = 0; i < 5; i++) await tx.query('update data.claims set amount = $2 where id = $1', [id, 100 + i])
  })
  const claimed = await drain(1)
  expect(claimed).toEqual([expect.objectContaining({ record: id, before: expect.objectContaining({ amount: 10 }), after: expect.objectContaining({ amount: 104 }) })])
  expect(await busyShards(pool)).toEqual([])
})

test('a claim that is rolled back is there again', async () => {
  await insert()
  const [shard] = await busyShards(pool)
  await expect(
    transaction(pool, async (tx) => {
      await takeShard(tx, shard as number)
      expect((await claimChanges(tx, [shard as number], 500, schema)).changes).toHaveLength(1)
      throw new Error('killed')
    }),
  ).rejects.toThrow('killed')
  expect(await drain(500)).toHaveLength(1)
})

test('only one worker at a time has a shard', async () => {
  await insert()
  const [shard] = await busyShards(pool)
  await transaction(pool, async (one) => {
    expect(await takeShard(one, shard as number)).toBe(true)
    await transaction(pool, async (other) => expect(await takeShard(other, shard as number)).toBe(false))
  })
})

test('numbers of more than 15 digits keep every digit', async () => {
  await pool.query('insert into data.claims (amount) values (12345678901234567.89)')
  expect((await changes())[0]?.after?.amount).toBe('12345678901234567.89')
})

/** Everything that is queued, in the pieces in which it is taken off. */
async function takePieces(limit: number): Promise<Change[][]> {
  const pieces: Change[][] = []
  for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool))
    for (const shard of busy)
      pieces.push(
        await transaction(pool, async (tx) => {
          expect(await takeShard(tx, shard)).toBe(true)
          return (await claimChanges(tx, [shard], limit, schema)).changes
        }),
      )
  return pieces
}

test('many changes of one statement are taken piece by piece, in order, each once', async () => {
  await pool.query('insert into data.claims (amount) select g from generate_series(1, 3000) g')
  const { entries } = await one<{ entries: number }>(pool, 'select count(*) as entries from rappel.queue')
  expect(entries).toBe(16)
  const pieces = await takePieces(50)
  for (const piece of pieces) {
    expect(piece.length).toBeLessThanOrEqual(50)
    expect(piece.map((c) => c.id)).toEqual(piece.map((c) => c.id).sort((a, b) => a - b))
  }
  const records = pieces.flat().map((c) => c.record)
  expect(new Set(records).size).toBe(3000)
  expect(records).toHaveLength(3000)
})

test('what one transaction does to a record in several large statements, and between them, is one change', async () => {
  await pool.query('insert into data.claims (amount) select g from generate_series(1, 1000) g')
  await takePieces(500)
  await transaction(pool, async (tx) => {
    await tx.query(`update data.claims set note = 'first' where amount = 7`)
    await tx.query('update data.claims set amount = amount + 1')
    await tx.query(`update data.claims set note = 'last'`)
  })
  const taken = (await takePieces(30)).flat()
  expect(taken).toHaveLength(1000)
  expect(taken.every((c) => c.after?.note === 'last' && Number(c.after?.amount) === Number(c.before?.amount) + 1)).toBe(true)
})

test('two writers whose large statements overlap keep the order of each record', async () => {
  await pool.query('insert into data.claims (amount) select 0 from generate_series(1, 400) g')
  await takePieces(500)
  // each locks its rows in one order, or two of them could wait for one another
  const all = 'update data.claims c set amount = amount + 1 from (select id from data.claims order by id for update) o where o.id = c.id'
  await Promise.all(Array.from({ length: 6 }, () => pool.query(all)))
  const seen = new Map<RecordId, number>()
  for (const change of (await takePieces(20)).flat()) {
    expect([change.record, change.before?.amount]).toEqual([change.record, seen.get(change.record) ?? 0])
    seen.set(change.record, Number(change.after?.amount))
  }
  expect([...seen.values()].every((n) => n === 6)).toBe(true)
  expect(seen.size).toBe(400)
})

/** What statement-level triggers with transition tables see, by PostgreSQL 15's documentation: CREATE TRIGGER, "Overview of Trigger Behavior" (39.1), INSERT, COPY. */
test('INSERT … ON CONFLICT DO UPDATE is a creation where it inserts and a change where it updates', async () => {
  const { id } = await insert()
  await pool.query(`insert into data.claims (id, note) values ($1, 'there'), ($1 + 100, 'new') on conflict (id) do update set note = excluded.note`, [id])
  const [, ...rest] = await changes()
  expect(rest.map(({ kind, record, after }) => ({ kind, record, note: after?.note })).sort((a, b) => compareIds(a.record, b.record))).toEqual([
    { kind: 'changed', record: id, note: 'there' },
    { kind: 'created', record: id + 100, note: 'new' },
  ])
})

test('COPY is one statement, however many rows it brings', async () => {
  const lines = Array.from({ length: 100_000 }, (_, i) => `${i}\n`).join('')
  execFileSync('psql', [db.url, '-v', 'ON_ERROR_STOP=1', '-qc', 'copy data.claims (amount) from stdin'], { input: lines })
  const { count, xids } = await one<{ count: number; xids: number }>(
    pool,
    `select count(*) as count, count(distinct xid::text) as xids from rappel_log.claims where kind = 'created'`,
  )
  expect([count, xids]).toEqual([100_000, 1])
})

test('a session that replicates fires no triggers, so what it writes is no change', async () => {
  const client = createClient(asSuperuser(db.url), 'test replica') // none but a superuser may say so of its session
  await client.connect()
  await client.query('set session_replication_role = replica')
  await client.query('insert into data.claims (amount) values (1)')
  await client.end()
  expect(await changes()).toEqual([])
})

test('MERGE is captured by what it did to each row', async () => {
  const { id } = await insert()
  await pool.query(
    `merge into data.claims c using (values ($1::bigint, 'kept'), ($1::bigint + 50, 'made')) v (id, note) on c.id = v.id
      when matched then update set note = v.note when not matched then insert (id, note) values (v.id, v.note)`,
    [id],
  )
  expect((await changes()).map(({ kind, record }) => ({ kind, record }))).toEqual(
    expect.arrayContaining([
      { kind: 'changed', record: id },
      { kind: 'created', record: id + 50 },
    ]),
  )
})

test('changes of one statement that names a table twice are all there', async () => {
  const [first, second] = [await insert(), await insert()]
  await pool.query(
    `with one as (update data.claims set note = 'one' where id = $1 returning id), two as (update data.claims set note = 'two' where id = $2 returning id), gone as (delete from data.claims where id = -1)
     insert into data.claims (note) select 'after ' || one.id from one`,
    [first.id, second.id],
  )
  const [, , ...rest] = await changes()
  expect(rest.map(({ kind, after }) => [kind, after?.note]).sort()).toEqual([
    ['changed', 'one'],
    ['changed', 'two'],
    ['created', `after ${first.id}`],
  ])
})

test('what a foreign key deletes along is captured as deletions of its own table', async () => {
  await pool.query(`create table data.notes (id bigint primary key, claim bigint references data.claims (id) on delete cascade, text text)`)
  await pool.query(`select rappel.attach_capture('notes')`)
  const { id } = await insert()
  await pool.query(`insert into data.notes values (1, $1, 'a'), (2, $1, 'b'), (3, null, 'c')`, [id])
  await pool.query('delete from data.claims where id = $1', [id])
  const rows = await many(pool, `select tbl, rec, kind from rappel.change where kind = 'deleted' order by tbl, rec`)
  expect(rows).toEqual([
    { tbl: 'claims', rec: id, kind: 'deleted' },
    { tbl: 'notes', rec: 1, kind: 'deleted' },
    { tbl: 'notes', rec: 2, kind: 'deleted' },
  ])
})

test('a row that an update moves to another partition is a change, as the statement was', async () => {
  await pool.query(`create table data.places (id bigint, region text, note text, primary key (id, region)) partition by list (region)`)
  await pool.query(`create table data.places_n partition of data.places for values in ('north'); create table data.places_s partition of data.places for values in ('south')`)
  await pool.query(`select rappel.attach_capture('places')`)
  await pool.query(`insert into data.places values (1, 'north', 'x'), (2, 'north', 'y')`)
  await pool.query(`update data.places set region = 'south' where id = 1`)
  const rows = await many(pool, `select rec, kind, changed, before, after ->> 'region' as region from rappel_change.places where kind <> 'created' order by id`)
  expect(rows).toEqual([{ rec: 1, kind: 'changed', changed: ['region'], before: { region: 'north' }, region: 'south' }])
})

test('rows that are moved to a table of another schema are deleted here', async () => {
  const { id } = await insert()
  await pool.query('create schema if not exists elsewhere; create table elsewhere.claims (like data.claims)')
  await pool.query('with moved as (delete from data.claims returning *) insert into elsewhere.claims select * from moved')
  expect((await changes()).map(({ kind, record }) => [kind, record])).toEqual([
    ['created', id],
    ['deleted', id],
  ])
})
