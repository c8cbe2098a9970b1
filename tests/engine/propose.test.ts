import { must } from '@/core/must'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { proposeFrom } from '@/engine/propose'
import { readPast } from '@/engine/propose-past'
import { many } from '@/store/database'
import { listRuns } from '@/store/runs'
import { putTable } from '@/store/tables'
import { CLAIMS, makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

const ids = async (where: string) => (await many<{ id: number }>(engine.pool, `select id from rappel.change where tbl = 'claims' and ${where} order by id`)).map((r) => r.id)

async function marked(yes: readonly number[], no: readonly number[], within?: string) {
  const surroundings = await readSurroundings(engine.pool, BASE_URL)
  const table = surroundings.schema.get('claims')
  if (!table) throw new Error('There is no table of claims.')
  return proposeFrom(engine.pool, { table, yes, no, days: 30, ...(within === undefined ? {} : { within }) }, surroundings, await readReviewSetting(engine.pool))
}

test('marks on recorded changes come to conditions, with whom records belonged to then, and the change to ask about', async () => {
  const { ines, rafi } = await makeClaims(engine.pool)
  await engine.pool.query(
    `insert into data.claims (owner, amount, status) select case when g % 2 = 0 then $1::bigint else $2::bigint end, g * 10, case when g % 3 = 0 then 'In review' else 'New' end from generate_series(1, 60) g`,
    [ines, rafi],
  )
  await engine.pool.query(`update data.claims set status = 'Settled' where id between 10 and 50`)
  await engine.pool.query(`update data.claims set owner = $1`, [ines]) // since then all of them are Ines'
  const settled = await ids(`kind = 'changed' and after ->> 'status' = 'Settled' and before ->> 'status' is distinct from after ->> 'status'`)
  const ofRafi = await ids(`kind = 'changed' and after ->> 'status' = 'Settled' and before ->> 'status' is distinct from after ->> 'status' and (after ->> 'owner')::int = ${rafi}`)
  const others = settled.filter((id) => !ofRafi.includes(id))
  const created = await ids(`kind = 'created'`)
  const found = await marked(ofRafi.slice(0, 6), [...others.slice(0, 6), ...created.slice(0, 3)])
  expect(found.said).toEqual([])
  expect(found.contradictions).toEqual([])
  expect(found.changes).toBeGreaterThan(100)
  const rule = found.proposals.find((p) => p.firings === ofRafi.length)
  expect(rule?.sentence).toMatch(/^A claim is changed.*/)
  expect(found.proposals.length).toBeGreaterThan(0)
  expect([...ofRafi, ...others, ...created, null]).toContain(found.ask)
})

test('the past is read once for the questions that follow, and anew for a mark that is not in it, or where a table is another', async () => {
  const { ines } = await makeClaims(engine.pool)
  const add = () => engine.pool.query('insert into data.claims (owner, amount) select $1, 5 from generate_series(1, 4)', [ines])
  const past = async (yes: readonly number[] = [], days = 30) => {
    const surroundings = await readSurroundings(engine.pool, BASE_URL)
    return readPast(engine.pool, { table: must(surroundings.schema.get('claims')), yes, no: [], days }, surroundings)
  }
  await add()
  const first = await past()
  expect(first.changes.map((c) => c.id)).toEqual(await ids('true'))
  expect((await Promise.all([past(), past(await ids('true'))])).map((p) => p === first)).toEqual([true, true])
  await add()
  expect(await past()).toBe(first) // newer changes wait for a minute
  const newest = must((await ids('true')).at(-1))
  const second = await past([newest, 999_999])
  expect([second === first, second.placeOf.has(newest), second.changes.length]).toEqual([false, true, 8])
  expect(await past([newest, 999_999])).toBe(second) // what is gone is not looked for again
  expect(await past([newest], 7)).not.toBe(second)
  const third = await past()
  await putTable(engine.pool, { ...CLAIMS, label: 'Complaints' })
  expect([(await past()) === third, (await past()).observed.table.label]).toEqual([false, 'Complaints'])
})

test('what cannot be answered is said', async () => {
  const { ines } = await makeClaims(engine.pool)
  await engine.pool.query('insert into data.claims (owner, amount) select $1, 5 from generate_series(1, 8)', [ines])
  const created = await ids(`kind = 'created'`)
  const [a = 0, b = 0] = created
  expect((await marked([a], [a])).said).toEqual(['The same change is marked yes and no.'])
  expect((await marked([], [a])).said).toEqual(['Mark at least one change that should have told somebody.'])
  expect((await marked([a, 999_999], [])).said).toEqual([
    'One marked change is not in the log of Claims any more, or of another table, and was left out.',
    'Only one change is marked yes: what is proposed may be about it alone. Mark another like it.',
    'No change is marked no: mark one that should not have told anybody, and the proposals get narrower.',
  ])
  await engine.pool.query(`insert into data.claims (owner, amount, number) select $1, 7, 'same' from generate_series(1, 2)`, [ines])
  const [one = 0, two = 0] = (await ids(`kind = 'created'`)).slice(-2)
  const alike = await marked([one, a], [two, b])
  expect(alike.proposals).toEqual([])
  expect(alike.contradictions).toContainEqual([one, two])
  expect(alike.said).toContain('Changes that are marked differently differ in nothing that is recorded and that conditions can tell.')
})

test('of a workflow that fired too often, clauses to add are proposed, with what else would go', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow({ name: 'Too often' }))
  await engine.startWorker()
  await engine.pool.query(
    `insert into data.claims (owner, amount, status, number) select $1, g * 10, case when g % 4 = 0 then 'In review' else 'New' end, 'C-' || g from generate_series(1, 20) g`,
    [ines],
  )
  await until('all runs', async () => (await listRuns(engine.pool, { workflow: 'Too often', state: 'done', limit: 50 })).length === 20)
  const [wrong = 0, alsoWrong = 0] = await ids(`after ->> 'status' = 'In review'`)
  const right = (await ids(`after ->> 'status' = 'New'`)).slice(0, 4)
  const found = await marked(right, [wrong, alsoWrong], 'Too often')
  expect(found.changes).toBe(20)
  const status = found.proposals.find(({ sentence }) => sentence === 'Status is not In review.')
  expect(status).toMatchObject({ goes: 5, firings: 15, added: { field: 'status', op: 'is not', value: 'In review' } })
  expect(await ids(`after ->> 'status' = 'In review'`)).toContain(status?.ask)
  expect((await marked([], [], 'Too often')).said).toEqual(['Mark a change no for which Too often should not have fired.'])
  expect((await marked([], [wrong], 'Nothing called so')).said).toContain('There is no workflow called Nothing called so.')
})
