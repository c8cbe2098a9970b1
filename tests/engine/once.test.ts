import { randomUUID } from 'node:crypto'
import { many, one, transaction } from '@/store/database'
import { claimMessages } from '@/store/mail/claim'
import { finishAttempts } from '@/store/mail/finish'
import { queueMessages } from '@/store/mail/queue'
import { listMessages } from '@/store/messages'
import { insertRuns, runKey } from '@/store/runs'
import { buryWorkers, registerWorker } from '@/store/workers'
import { putLive, saveDraft } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { newRun } from '../support/runs'

let engine: Engine
let people: { ines: number; rafi: number }
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

async function queueOne(): Promise<void> {
  await goLive(engine, newClaimWorkflow())
  const { id: workflow } = await one<{ id: number }>(engine.pool, 'select id from rappel.workflow')
  const trace = {
    change: { id: 1, kind: 'created' as const, at: '', by: { kind: 'system' as const, person: null, name: '' }, changed: [], before: null, after: null },
    clauses: [],
    messages: [],
    notes: [],
  }
  const run = newRun({ workflow, title: 'CL-1', trace })
  const ids = await insertRuns(engine.pool, [run])
  expect(await insertRuns(engine.pool, [run])).toEqual(new Map())
  await queueMessages(engine.pool, [
    {
      run: ids.get(runKey(run)) as number,
      workflow,
      action: 'a',
      tbl: 'claims',
      rec: 1,
      message_id: `<${randomUUID()}@x.example>`,
      sender: { address: 's@x.example', name: null },
      reply_to: null,
      subject: 'S',
      html: '',
      body: '',
      priority: 'normal',
      attachments: null,
      changed_at: new Date(),
      created_at: new Date(),
      recipients: [{ address: 'a@x.example', name: null, part: 'to' }],
    },
  ])
}

test('the same workflow and change make one run, whoever tries', queueOne)

test('a claim is fenced: whoever no longer holds the attempt changes nothing', async () => {
  await queueOne()
  const connection = await engine.pool.connect()
  const dead = await registerWorker(connection, 'h', 1)
  const [message] = (await claimMessages(engine.pool, dead, 10, new Date(Date.now() + 1_000))).messages
  expect(message).toMatchObject({ attempt: 1, recipients: [expect.objectContaining({ address: 'a@x.example' })] })
  expect((await claimMessages(engine.pool, dead, 10, new Date(Date.now() + 1_000))).messages).toEqual([])
  await engine.pool.query(`update rappel.worker set started_at = now() - interval '1 minute'`)
  expect(await buryWorkers(engine.pool)).toBe(0) // it gives a sign of life
  connection.release(true)
  await until('the dead worker’s message to come back', async () => (await buryWorkers(engine.pool)) === 1)
  const outcome = {
    message: message?.id as number,
    attempt: 1,
    worker: dead,
    at: new Date(),
    milliseconds: 1,
    outcome: 'sent' as const,
    reply: '',
    state: 'sent' as const,
    nextAt: null,
    recipients: [],
  }
  expect(await finishAttempts(engine.pool, [outcome])).toBe(0)
  expect((await listMessages(engine.pool, { limit: 1 }))[0]?.state).toBe('queued')
})

test('a change belongs to the version that was live when it committed, also when it began before', async () => {
  await goLive(engine, newClaimWorkflow({ name: 'W' }))
  const slow = await engine.pool.connect()
  await slow.query('begin')
  await slow.query('insert into data.claims (owner) values ($1)', [people.ines])
  await saveDraft(engine.pool, 'W', newClaimWorkflow({ name: 'W', note: 'second' }), null)
  await putLive(engine.pool, 'W', null)
  await slow.query('commit')
  slow.release()
  await engine.startWorker()
  const [run] = await until('the run', async () => {
    const rows = await many<{ version: number }>(engine.pool, 'select version from rappel.run')
    return rows.length ? rows : null
  })
  expect(run).toEqual({ version: 2 })
})

test('switching versions under load loses and doubles nothing', async () => {
  await goLive(engine, newClaimWorkflow({ name: 'W' }))
  await Promise.all([engine.startWorker(), engine.startWorker()])
  let writing = true
  let made = 0
  const writer = (async () => {
    while (writing) {
      await transaction(engine.pool, (tx) => tx.query('insert into data.claims (owner) values ($1)', [people.ines]))
      made++
    }
  })()
  for (let i = 0; i < 50; i++) await putLive(engine.pool, 'W', null)
  writing = false
  await writer
  await until('every change to be handled', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0, 60_000)
  const { runs, versions } = await one<{ runs: number; versions: number }>(engine.pool, 'select count(*) as runs, count(distinct version) as versions from rappel.run')
  expect(runs).toBe(made)
  expect(versions).toBeGreaterThan(10)
}, 240_000)

test('a workflow that fails on a change fails that run alone, in words', async () => {
  await goLive(
    engine,
    newClaimWorkflow({ name: 'Slow', actions: [{ name: 'a', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: '{% for i in (1..100000000) %}{{ i }}{% endfor %}' }] }),
  )
  await goLive(engine, newClaimWorkflow({ name: 'Sound' }))
  await engine.startWorker()
  await engine.pool.query('insert into data.claims (owner) values ($1)', [people.ines])
  const runs = await until('both runs', async () => {
    const rows = await many<{ name: string; state: string; error: string | null }>(
      engine.pool,
      'select w.name, r.state, r.error from rappel.run r join rappel.workflow w on w.id = r.workflow order by w.name',
    )
    return rows.length === 2 ? rows : null
  })
  expect(runs).toEqual([
    { name: 'Slow', state: 'failed', error: 'In “a”: The text builds more than 20 MB of values. Make its loops shorter.' },
    { name: 'Sound', state: 'done', error: null },
  ])
}, 180_000)
