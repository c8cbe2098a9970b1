import { catchUp } from '@/store/catch-up'
import { many } from '@/store/database'
import { listRuns } from '@/store/runs'
import { pauseWorkflow, resumeWorkflow } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

/** A change that cannot be handled at all is set aside with a failed run, at once or late; those beside it go on. */

let engine: Engine
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
  await goLive(engine, newClaimWorkflow())
  // as another program's trigger may do: about this note no run can be written, done or failed, but one that sets it aside
  await engine.pool.query(`
    create function public.refuse() returns trigger language plpgsql as $$ begin
      if coalesce(new.error, '') not like 'It could not be decided%' and exists (select from data.claims where id = (new.rec #>> '{}')::bigint and note = 'refused') then raise exception 'Not this one.'; end if;
      return new;
    end $$;
    create trigger refuse before insert on rappel.run for each row execute function public.refuse()`)
})
afterEach(() => engine.stop())

const add = (note: string) => engine.pool.query('insert into data.claims (owner, note) values ($1, $2)', [ines, note])
const runs = async () => (await listRuns(engine.pool, { limit: 20 })).map((r) => [r.state, r.error]).sort()
const EXPECTED = [
  ['done', null],
  ['done', null],
  ['failed', 'It could not be decided about: Not this one.'],
]

test('a change whose run cannot be written', async () => {
  for (const note of ['first', 'refused', 'last']) await add(note)
  await engine.startWorker()
  await until('the other mail', () => engine.room.store.list({}).length === 2)
  await until('the failed run', async () => (await listRuns(engine.pool, { state: 'failed', limit: 20 })).length === 1)
  await until('what came of the mail', async () => !(await runs()).some(([state]) => state === 'mail waiting')) // it arrives before that is written
  expect(await runs()).toEqual(EXPECTED)
  expect(await many(engine.pool, 'select 1 from rappel.queue')).toEqual([])
})

test('the same where it passed a workflow by and is run late', async () => {
  await pauseWorkflow(engine.pool, 'New claim')
  for (const note of ['first', 'refused', 'last']) await add(note)
  await engine.startWorker()
  await until('the queue', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)
  await resumeWorkflow(engine.pool, 'New claim')
  await catchUp(engine.pool, 'New claim')
  await until('the other mail', () => engine.room.store.list({}).length === 2)
  await until('the end of the list', async () => (await many(engine.pool, 'select 1 from rappel.catch_up')).length === 0)
  await until('what came of the mail', async () => !(await runs()).some(([state]) => state === 'mail waiting'))
  expect(await runs()).toEqual(EXPECTED)
})

test('a change at which workers died eleven times is set aside unread', async () => {
  await add('first')
  await engine.pool.query('insert into rappel.tried (shard, change_id, tries) select shard, min(change_id), 11 from rappel.queue group by shard')
  await engine.startWorker()
  await until('the failed run', async () => (await listRuns(engine.pool, { state: 'failed', limit: 20 })).length === 1)
  expect(await runs()).toEqual([['failed', 'Reading it ended the worker 11 times, so it was set aside and the others went on. Mend the record, then try the run again.']])
  expect(engine.room.store.list({})).toEqual([])
})
