import { type ChildProcess, spawn } from 'node:child_process'
import type { Workflow } from '@/core/document/document'
import { argumentsFor } from '@/process'
import { many, one } from '@/store/database'
import { listRuns } from '@/store/runs'
import { putTable } from '@/store/tables'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

/** One workflow, one record, one request stops nothing but itself: whatever a workflow is made to do, the others' mail goes out. */

let engine: Engine
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

const email = (parts: object = {}) => ({ name: 'tell', do: 'email' as const, to: [{ address: 'someone@example.org' }], subject: 'S', body: 'B', ...parts })
const allClaims = (where?: object) => [{ name: 'others', list: 'claims', ...(where ? { where } : {}) }] as Workflow['bringIn']

/** Puts a workflow live beside one that does no harm, and makes claims. */
async function beside(parts: Partial<Workflow>, claims = 3): Promise<void> {
  await goLive(engine, newClaimWorkflow())
  await goLive(engine, newClaimWorkflow({ name: 'Hostile', actions: [email()], ...parts }))
  for (let i = 0; i < claims; i++) await engine.pool.query(`insert into data.claims (owner, note, amount) values ($1, 'no number', 1)`, [ines])
}

const harmless = () => engine.room.store.list({ to: 'ines@office.example' }).length
const hostile = (state: string) => listRuns(engine.pool, { workflow: 'Hostile', state, limit: 100 })

test.each<[string, Partial<Workflow>, RegExp]>([
  ['a list of a table that is gone', { bringIn: [{ name: 'others', list: 'boats' }] }, /The list of boats could not be read: .*does not exist/],
  ['a span of one and a half days, kept from before', { bringIn: allClaims({ field: 'due', op: 'within last', value: { days: 1.5 } }) }, /The list of claims could not be read: /],
  ['a span of billions of days', { bringIn: allClaims({ field: 'due', op: 'within next', value: { days: 99999999999 } }) }, /The list of claims could not be read: /],
  ['a formula without end', { values: [{ name: 'v', formula: `{f: function(n) if n = 0 then 0 else f(n - 1) + f(n - 1), r: f(60)}.r` }] }, /does more work than is allowed/],
  ['a text without end', { actions: [email({ body: '{% for i in (1..1000000) %}{% for j in (1..1000000) %}x{% endfor %}{% endfor %}' })] }, /does more work|builds more than/],
])('%s fails its own runs in words', async (_, parts, why) => {
  if (parts.bringIn?.[0]?.list === 'boats') {
    await putTable(engine.pool, { name: 'boats', label: 'Boats', singular: 'boat', titleField: 'name', fields: [{ name: 'name', label: 'Name', type: 'text' }] })
    await engine.pool.query('drop table data.boats')
  }
  await beside(parts)
  await engine.startWorker()
  await until('the harmless mail', () => harmless() === 3)
  await until('the failed runs', async () => (await hostile('failed')).length === 3)
  for (const run of await hostile('failed')) expect(run.error).toMatch(why)
  expect(await many(engine.pool, 'select 1 from rappel.queue')).toEqual([])
})

test('a formula on the right side of a list’s condition that gives no such value holds for nothing', async () => {
  await beside({ bringIn: allClaims({ field: 'amount', op: 'at least', value: { formula: 'note' } }), actions: [email({ body: '{{ others.size }} of {{ claim.note }}' })] })
  await engine.startWorker()
  await until('all mail', () => engine.room.store.list({}).length === 6)
  const mail = await many<{ body: string }>(engine.pool, `select body from rappel.message where subject = 'S'`)
  expect(mail.map((m) => m.body.trim())).toEqual(['0 of no number', '0 of no number', '0 of no number'])
})

test('a run that takes long holds nobody up: it is worked out apart, and all its mail goes', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.pool.query(`insert into data.claims (contact_email) select 'p' || i || '@x.example' from generate_series(1, 1500) i`)
  await engine.pool.query('delete from rappel.queue')
  const long = '<p>{{ claim.note }}</p>'.repeat(120)
  await goLive(
    engine,
    newClaimWorkflow({
      name: 'Hostile',
      bringIn: allClaims({ field: 'contact_email', op: 'is filled' }),
      actions: [email({ to: [{ list: 'others', field: 'contact_email' }], delivery: 'each', body: long, format: 'rich' })],
    }),
  )
  await engine.startWorker()
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await until('the harmless mail', () => harmless() === 1)
  await until('the run', async () => (await hostile('done')).length === 1, 120_000)
  const { count } = await one<{ count: number }>(engine.pool, `select count(*) as count from rappel.message m join rappel.workflow w on w.id = m.workflow where w.name = 'Hostile'`)
  expect(count).toBe(1_500)
})

test('a change that does not fire after all leaves no run behind, however long that takes to tell', async () => {
  const slow = 'count(for a in [1, 2, 3, 4, 5, 6, 7, 8, 9, 10], b in 1..15000 return a) = 0'
  await goLive(engine, newClaimWorkflow({ name: 'Hostile', conditions: { field: 'amount', op: 'is', value: { formula: `if ${slow} then 1 else 2` } }, actions: [email()] }))
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker()
  for (let i = 0; i < 5; i++) await engine.pool.query('insert into data.claims (owner, amount) values ($1, 1)', [ines])
  await until('the harmless mail', () => harmless() === 5)
  await until('nothing to wait', async () => (await hostile('waiting')).length === 0 && (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)
  expect((await listRuns(engine.pool, { workflow: 'Hostile', limit: 10 })).map((r) => r.state)).toEqual([])
})

/** A worker of its own process with little memory, and its end; what kills it may do so before it has said that it is ready. */
function startSmallWorker(): { worker: ChildProcess; ended: Promise<unknown> } {
  const env = {
    ...process.env,
    DATABASE_URL: engine.url,
    RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`,
    RAPPEL_BASE_URL: BASE_URL,
    LOG_LEVEL: 'silent',
    RAPPEL_APART_MB: '150',
  }
  const worker = spawn(process.execPath, ['--max-old-space-size=120', ...argumentsFor('worker')], { env, stdio: ['ignore', 'ignore', 'ignore', 'ipc'] })
  return { worker, ended: new Promise((resolve) => worker.once('exit', resolve)) }
}

test('a change that kills its worker kills it once, and fails in words, and the others’ mail goes', async () => {
  await engine.pool.query('alter table data.claims disable trigger user') // what is too large to be read takes long to be recorded, and nothing waits for that
  await engine.pool.query(`insert into data.claims (note) select repeat(md5(i::text), 30000) from generate_series(1, 400) i`) // a list of 400 MB
  await engine.pool.query('alter table data.claims enable trigger user')
  await beside({ bringIn: allClaims({ field: 'note', op: 'is filled' }), actions: [email()] }, 1)
  await goLive(engine, newClaimWorkflow({ name: 'Hostile', actions: [email()] }))
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  let deaths = 0
  let isOver = false
  let small = startSmallWorker()
  const keepAlive = async () => {
    for (;;) {
      await small.ended
      if (isOver) return
      deaths++
      small = startSmallWorker()
    }
  }
  const kept = keepAlive()
  try {
    await until('the run to fail', async () => (await hostile('failed')).length === 1, 200_000)
    await until('the mail of both changes', () => harmless() === 2, 60_000)
  } finally {
    isOver = true
    small.worker.kill('SIGKILL')
    await kept
  }
  const [run] = await hostile('failed')
  expect(run?.error).toBe('What is asked takes more time or memory than there is, and was stopped. Make its lists, loops or texts smaller.')
  expect(deaths).toBe(1)
  expect(await many(engine.pool, 'select 1 from rappel.queue')).toEqual([])
}, 400_000)
