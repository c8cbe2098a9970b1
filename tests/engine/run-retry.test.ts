import type { Workflow } from '@/core/document/document'
import { many, one } from '@/store/database'
import { callOffRuns, countAlike, relativesOf, retryRuns } from '@/store/run-retry'
import { listRuns } from '@/store/runs'
import { pauseWorkflow, resumeWorkflow } from '@/store/workflows'
import { makeBoats, tripWorkflow } from '../support/boats'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
  await makeBoats(engine.pool)
  await engine.pool.query(`insert into data.trips (id, number, boat) values (2, 'TR-02', 1), (3, 'TR-03', 1)`)
  await engine.pool.query(`alter table data.boats add constraint never_laid_up check (state <> 'Laid up')`)
})
afterEach(() => engine.stop())

const tell = { name: 'tell', do: 'email' as const, to: [{ address: 'a@x.example' }], subject: '{{ trip.number }}', body: 'B' }
const workflow = (parts: Partial<Workflow> = {}) => tripWorkflow({ actions: [{ name: 'lay up', do: 'update', target: 'boat', set: { state: 'Laid up' } }, tell], ...parts })

const inState = async (state: string) => (await listRuns(engine.pool, { state, limit: 10 })).map((r) => r.title).sort()
const cancel = (...ids: number[]) => engine.pool.query(`update data.trips set state = 'Cancelled' where id = any($1)`, [ids])

test('failed runs are tried again once their cause is mended, one or all that failed alike; each sends once', async () => {
  await goLive(engine, workflow())
  await engine.startWorker()
  await cancel(1, 2, 3)
  await until('three failures', async () => (await inState('failed')).length === 3)
  const [first] = await listRuns(engine.pool, { state: 'failed', limit: 1 })
  const id = first?.id as number
  expect(await countAlike(engine.pool, id)).toBe(3)
  expect(await retryRuns(engine.pool, { ids: [id] })).toBe(1)
  await until(
    'the run to fail again',
    async () => (await one<{ attempt: number; state: string }>(engine.pool, 'select attempt, state from rappel.run where id = $1', [id])).state === 'failed',
  )
  expect(await many(engine.pool, 'select 1 from rappel.message')).toEqual([])
  await engine.pool.query('alter table data.boats drop constraint never_laid_up')
  expect(await retryRuns(engine.pool, { like: id })).toBe(3)
  await until('all to be done', async () => (await inState('done')).length === 3)
  await until('the mail', () => engine.room.store.list({}).length === 3)
  expect(
    engine.room.store
      .list({})
      .map((m) => m.subject)
      .sort(),
  ).toEqual(['TR-01', 'TR-02', 'TR-03'])
  expect(await retryRuns(engine.pool, { ids: [id] })).toBe(0)
})

test('a run is tried again with the version that is live by then, and only while its workflow is live', async () => {
  await goLive(engine, workflow())
  await engine.startWorker()
  await cancel(1)
  await until('the failure', async () => (await inState('failed')).length === 1)
  await pauseWorkflow(engine.pool, workflow().name)
  const [{ id }] = (await listRuns(engine.pool, { limit: 1 })) as unknown as [{ id: number }]
  expect(await retryRuns(engine.pool, { ids: [id] })).toBe(0)
  await resumeWorkflow(engine.pool, workflow().name)
  await goLive(engine, workflow({ actions: [tell] }))
  expect(await retryRuns(engine.pool, { ids: [id], keeper: 99 })).toBe(0)
  expect(await retryRuns(engine.pool, { ids: [id] })).toBe(1)
  await until('it to be done', async () => (await inState('done')).length === 1)
  expect((await listRuns(engine.pool, { limit: 1 }))[0]).toMatchObject({ version: 2, messages: 1, error: null })
})

test('what waits can be called off, and stays failed for the reason it failed last', async () => {
  await goLive(engine, workflow())
  await engine.startWorker()
  await cancel(1)
  await until('the failure', async () => (await inState('failed')).length === 1)
  await engine.pool.query(`update rappel.run set state = 'waiting', next_at = now() + interval '1 hour'`)
  expect(await callOffRuns(engine.pool, { ids: (await listRuns(engine.pool, { limit: 5 })).map((r) => r.id) })).toBe(1)
  expect((await listRuns(engine.pool, { limit: 1 }))[0]).toMatchObject({ state: 'failed', error: expect.stringContaining('never_laid_up') })
})

test('a run tells what it came of and what came of it', async () => {
  await engine.pool.query('alter table data.boats drop constraint never_laid_up')
  await goLive(engine, workflow())
  await goLive(
    engine,
    tripWorkflow({ name: 'Boat laid up', table: 'boats', conditions: { field: 'state', op: 'is', value: 'Laid up' }, actions: [{ ...tell, subject: '{{ boat.name }}' }] }),
  )
  await engine.startWorker()
  await cancel(1)
  await until('both runs', async () => (await inState('done')).length === 2)
  const [second, first] = (await listRuns(engine.pool, { limit: 2 })) as unknown as [{ id: number }, { id: number }]
  expect(await relativesOf(engine.pool, first.id)).toMatchObject({ causedBy: null, caused: [{ id: second.id, workflow: 'Boat laid up', title: 'Gull' }] })
  expect(await relativesOf(engine.pool, second.id)).toMatchObject({ causedBy: { id: first.id, title: 'TR-01' }, caused: [] })
})
