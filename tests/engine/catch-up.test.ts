import { forecastPassedBy } from '@/engine/passed-by'
import { readSurroundings } from '@/engine/program'
import { catchUp, countPassedBy } from '@/store/catch-up'
import { many } from '@/store/database'
import { Refused } from '@/store/problems'
import { listRuns } from '@/store/runs'
import { pauseWorkflow, putLive, resumeWorkflow, saveDraft } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let owner: number
beforeEach(async () => {
  engine = await startEngine()
  owner = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

const add = async (amount: number) =>
  (await many<{ id: number }>(engine.pool, 'insert into data.claims (owner, amount) values ($1, $2) returning id', [owner, amount]))[0]?.id as number
const workflow = newClaimWorkflow({
  conditions: { all: [{ field: 'amount', op: 'at least', value: 10 }] },
  actions: [...newClaimWorkflow().actions, { name: 'say', do: 'notice', to: [{ field: 'owner' }], text: 'N' }],
})

test('what passed a paused workflow by is run after resuming, once, with the version that was paused', async () => {
  const { pool } = engine
  await goLive(engine, workflow)
  await goLive(engine, newClaimWorkflow({ name: 'Another' }))
  await pauseWorkflow(pool, 'New claim')
  const passed = [await add(10), await add(5), await add(20)]
  expect(await countPassedBy(pool)).toEqual(new Map([['New claim', 3]]))
  await expect(catchUp(pool, 'New claim')).rejects.toThrow(Refused)
  expect(await forecastPassedBy(pool, 'New claim', await readSurroundings(pool, BASE_URL))).toMatchObject({ changes: 3, firings: 2, failing: 0, messages: 2, notices: 2 })
  await resumeWorkflow(pool, 'New claim')
  const after = await add(30)
  await engine.startWorker()
  await until('the runs of now', async () => (await listRuns(pool, { limit: 20 })).length === 5)
  expect(await catchUp(pool, 'New claim')).toBe(3)
  await until('the late runs', async () => (await listRuns(pool, { workflow: 'New claim', limit: 20 })).length === 3)
  await until('all mail', () => engine.room.store.list({}).length === 7)
  expect((await listRuns(pool, { workflow: 'New claim', limit: 20 })).map((r) => r.record).sort()).toEqual([passed[0], passed[2], after].sort())
  expect(await listRuns(pool, { workflow: 'Another', limit: 20 })).toHaveLength(4)
  expect(await catchUp(pool, 'New claim')).toBe(0)
  expect(await countPassedBy(pool)).toEqual(new Map())
  expect(await many(pool, 'select 1 from rappel.notice')).toHaveLength(3)
})

test('a new version leaves behind what passed the old one by', async () => {
  const { pool } = engine
  await goLive(engine, workflow)
  await pauseWorkflow(pool, 'New claim')
  await add(10)
  await saveDraft(pool, 'New claim', { ...workflow, note: 'second' }, null)
  await putLive(pool, 'New claim', null)
  expect(await countPassedBy(pool)).toEqual(new Map())
  expect(await catchUp(pool, 'New claim')).toBe(0)
})
