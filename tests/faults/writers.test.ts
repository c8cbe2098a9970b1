import type { ChildProcess } from 'node:child_process'
import { many, one } from '@/store/database'
import { putTable } from '@/store/tables'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

let engine: Engine
const workers: ChildProcess[] = []
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(async () => {
  await Promise.all(workers.splice(0).map(killed))
  await engine.stop()
})

// PostgreSQL 15, 13.3.4 "Deadlocks": the transaction that finds a ring of waits is ended, whichever that is; here it would be the save, which began to wait first.
test('a save that waits for a record that a workflow wrote, and holds one that it is about to write, is not ended', async () => {
  const { ines } = await makeClaims(engine.pool)
  await engine.pool.query('insert into data.claims (owner, amount) select $1, 1 from generate_series(1, 4000)', [ines])
  await engine.pool.query('truncate rappel.queue')
  await goLive(
    engine,
    newClaimWorkflow({
      cue: { kind: 'record', on: ['changed'] },
      conditions: { field: 'status', op: 'is', value: 'Settled' },
      actions: [{ name: 'note', do: 'update', set: { note: 'seen' } }],
    }),
  )
  const shard = `rappel.shard_of('claims', id)`
  const ids = (await many<{ id: number }>(engine.pool, `select id from data.claims where ${shard} = ${shard.replace('id', '1::bigint')} order by id`)).map((r) => r.id)
  const [first, last] = [ids[0] as number, ids.at(-1) as number]
  await engine.pool.query(`update data.claims set status = 'Settled' where id = any($1)`, [ids])
  const save = await engine.pool.connect()
  await save.query('begin')
  await save.query('update data.claims set amount = 2 where id = $1', [last])
  workers.push(await startWorkerProcess(engine))
  const isHeld = (id: number) =>
    engine.pool.query('select from data.claims where id = $1 for update nowait', [id]).then(
      () => false,
      () => true,
    )
  await until('the workflow to write the first', () => isHeld(first))
  await save.query('update data.claims set amount = 2 where id = $1', [first])
  await save.query('commit')
  save.release()
  await until(
    'every run to be done',
    async () => (await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.run where state = 'done'`)).n === ids.length,
    90_000,
  )
  expect(await one(engine.pool, `select count(*)::int as seen from data.claims where note = 'seen'`)).toEqual({ seen: ids.length })
})

test('fields may be called as what records their changes calls its own', async () => {
  const names = [
    'n',
    'o',
    'l',
    'q',
    'p',
    'm',
    'one',
    'base',
    'shards',
    'logged',
    'placed',
    'many',
    'rec',
    'tbl',
    'xid',
    'kind',
    'shard',
    'new_rows',
    'old_rows',
    'this_at',
    'written',
    'kept',
  ]
  await putTable(engine.pool, {
    name: 'odd',
    label: 'Odd',
    singular: 'odd_one',
    titleField: 'n',
    fields: names.map((name) => ({ name, label: name, type: 'text' as const })),
  })
  const columns = names.map((n) => `"${n}"`).join(', ')
  await engine.pool.query(`insert into data.odd (${columns}) values (${names.map((_, i) => `'a${i}'`).join(', ')})`)
  await engine.pool.query(`insert into data.odd (n, o) select g::text, 'x' from generate_series(1, 30) g`)
  await engine.pool.query(`update data.odd set o = 'b', "shards" = 'c' where id = 1`)
  await engine.pool.query(`update data.odd set n = n || '!'`)
  await engine.pool.query('delete from data.odd where id > 25')
  const counts = await many<{ kind: string; n: number }>(engine.pool, `select kind, count(*)::int as n from rappel.change where tbl = 'odd' group by 1 order by 1`)
  expect(counts).toEqual([
    { kind: 'changed', n: 32 },
    { kind: 'created', n: 31 },
    { kind: 'deleted', n: 6 },
  ])
  const [changed] = await many<{ changed: string[]; before: object; after: object }>(
    engine.pool,
    `select changed, before, after from rappel.change where tbl = 'odd' and kind = 'changed' order by id`,
  )
  expect(changed).toMatchObject({ changed: ['o', 'shards'], before: { o: 'a1', shards: 'a8' }, after: { o: 'b', shards: 'c', n: 'a0' } })
})

test('a field called as a column of PostgreSQL’s own is refused in words', async () => {
  const table = {
    name: 'odd',
    label: 'Odd',
    singular: 'odd_one',
    titleField: 'title',
    fields: [
      { name: 'title', label: 'Title', type: 'text' as const },
      { name: 'xmin', label: 'Least', type: 'number' as const },
    ],
  }
  await expect(putTable(engine.pool, table)).rejects.toMatchObject({ problems: [{ path: '/fields/1/name', message: expect.stringContaining('PostgreSQL') }] })
})

test('what goes beyond the database’s own limits (SQLSTATE class 54) fails for the one run, and the others go', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  await engine.pool.query(`create function public.too_much() returns trigger language plpgsql as $$ begin
      if new.rec = '2' and new.state = 'done' then raise exception using errcode = '54000', message = 'index row size exceeds the most'; end if; return new; end $$`)
  await engine.pool.query('create trigger too_much before insert on rappel.run for each row execute function public.too_much()')
  await engine.pool.query('insert into data.claims (owner, amount) select $1, 1 from generate_series(1, 3)', [ines])
  await engine.startWorker()
  await until('the other mail', () => engine.room.store.list({}).length === 2)
  await until('the queue to be empty', async () => (await one<{ n: number }>(engine.pool, 'select count(*)::int as n from rappel.queue')).n === 0)
  expect(await many(engine.pool, 'select rec, state from rappel.run order by rec::text')).toEqual([
    { rec: 1, state: 'done' },
    { rec: 2, state: 'failed' },
    { rec: 3, state: 'done' },
  ])
})
