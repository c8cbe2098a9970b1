import { many, one } from '@/store/database'
import { readMailState } from '@/store/mail-state'
import { listMessages } from '@/store/messages'
import { listRuns, readRun } from '@/store/runs'
import { pauseWorkflow, resumeWorkflow } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let people: { ines: number; rafi: number }

beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

const addClaim = (owner: number | null) =>
  one<{ id: number; number: string }>(engine.pool, 'insert into data.claims (owner, amount) values ($1, 12.5) returning id, number', [owner])
const mail = () => engine.room.store.list({})

test('a new claim is told to its owner, and the run says what it looked at', async () => {
  await goLive(engine, newClaimWorkflow({ conditions: { all: [{ field: 'amount', op: 'at least', value: 10 }] } }))
  await engine.startWorker()
  const claim = await addClaim(people.ines)
  const [arrival] = await until('the mail', () => (mail().length ? mail() : null))
  expect(arrival).toMatchObject({ subject: `Claim ${claim.number}`, envelope: { to: [INES] } })
  const source = (await engine.room.store.source(1)).toString()
  expect(source).toContain('Auto-Submitted: auto-generated')
  expect(source).toContain('Dear Ines')
  const [message] = await until('the message to be marked sent', async () => {
    const sent = await listMessages(engine.pool, { state: 'sent', limit: 5 })
    return sent.length ? sent : null
  })
  expect(source).toContain(`Message-ID: ${message?.message_id}`)
  const run = await readRun(engine.pool, message?.run as number)
  expect(run).toMatchObject({ workflow: 'New claim', version: 1, state: 'done', record: claim.id, title: claim.number, messages: 1 })
  expect(run?.trace.clauses).toEqual([expect.objectContaining({ path: '/conditions/all/0', field: 'amount', after: 12.5, holds: true })])
  expect(run?.trace.messages).toEqual([expect.objectContaining({ to: [INES], action: 'tell the owner' })])
})

test('a claim without owner makes a run that says nobody is there to send to', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker()
  await addClaim(null)
  const [run] = await until('the run', async () => {
    const runs = await listRuns(engine.pool, { limit: 5 })
    return runs.length ? runs : null
  })
  expect((await readRun(engine.pool, run?.id as number))?.trace.notes.map((n) => n.code)).toEqual(['blank address', 'nobody'])
  expect(mail()).toEqual([])
})

test('changes before going live never fire, nor do those that come while paused', async () => {
  await addClaim(people.ines)
  await goLive(engine, newClaimWorkflow())
  const live = await addClaim(people.ines)
  await pauseWorkflow(engine.pool, 'New claim')
  await addClaim(people.ines)
  await resumeWorkflow(engine.pool, 'New claim')
  const resumed = await addClaim(people.ines)
  await engine.startWorker()
  await until('both runs', async () => (await listRuns(engine.pool, { limit: 5 })).length === 2)
  await until('an empty queue', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)
  expect((await listRuns(engine.pool, { limit: 5 })).map((r) => r.record).sort()).toEqual([live.id, resumed.id].sort())
})

test('a server that is down makes messages wait, Rappel says so, and they go as soon as it is back', async () => {
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { down: true }
  await engine.startWorker()
  await addClaim(people.ines)
  const [waiting] = await until('the failed attempt', async () => {
    const queued = await listMessages(engine.pool, { state: 'queued', limit: 5 })
    return queued[0]?.last_reply ? queued : null
  })
  expect(waiting?.attempt).toBe(1)
  expect((waiting?.next_at.getTime() ?? 0) - (waiting?.created_at.getTime() ?? 0)).toBeGreaterThan(20_000)
  engine.room.faults = {}
  await until('the mail', () => mail().length === 1, 60_000)
})

test('refused for now is tried again later, refused for good fails at once and the address is suppressed', async () => {
  await goLive(
    engine,
    newClaimWorkflow({
      actions: [
        {
          name: 'tell',
          do: 'email',
          to: [{ address: 'busy@x.example' }, { address: 'gone@x.example' }, { address: 'fine@x.example' }],
          subject: 'S',
          body: 'B',
        },
      ],
    }),
  )
  engine.room.faults = { refuse: { 'busy@x.example': 450, 'gone@x.example': 550 } }
  await engine.startWorker()
  await addClaim(null)
  const [message] = await until('the first attempt', async () => {
    const list = await listMessages(engine.pool, { limit: 1 })
    return list[0]?.last_reply && list[0].state === 'queued' ? list : null
  })
  expect(message?.recipients.map((r) => [r.address, r.state])).toEqual([
    ['busy@x.example', 'open'],
    ['gone@x.example', 'failed'],
    ['fine@x.example', 'sent'],
  ])
  expect(await many(engine.pool, 'select address from rappel.suppression')).toEqual([{ address: 'gone@x.example' }])
  engine.room.faults = {}
  await engine.pool.query(`update rappel.message set next_at = now(); notify rappel_message`)
  await until('the end', async () => (await listMessages(engine.pool, { state: 'failed', limit: 1 })).length === 1)
  expect(mail().map((m) => m.envelope.to)).toEqual([['fine@x.example'], ['busy@x.example']])
  expect((await readMailState(engine.pool)).ok).toBe(true)
})

test('a connection lost after DATA is tried again with the same Message-ID', async () => {
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { dropAfterData: 1 }
  await engine.startWorker()
  await addClaim(people.ines)
  await until('the first copy', () => mail().length === 1)
  await until('the second copy', () => mail().length === 2, 60_000)
  const ids = await Promise.all([1, 2].map(async (id) => /^Message-ID: (.*)$/m.exec((await engine.room.store.source(id)).toString())?.[1]))
  expect(ids[0]).toBe(ids[1])
})

test('several workers share the work and no change fires twice', async () => {
  await goLive(engine, newClaimWorkflow())
  await Promise.all([engine.startWorker(), engine.startWorker(), engine.startWorker()])
  await engine.pool.query('insert into data.claims (owner) select $1 from generate_series(1, 300)', [people.ines])
  await until('all mail', async () => (await listMessages(engine.pool, { state: 'sent', limit: 400 })).length === 300, 60_000)
  expect(mail()).toHaveLength(300)
  expect(new Set(mail().map((m) => m.subject)).size).toBe(300)
})

test('a worker can be two processes: one decides, the other delivers', async () => {
  await goLive(engine, newClaimWorkflow())
  const deciding = await engine.startWorker(['changes'])
  await addClaim(people.ines)
  await until('the run', async () => (await listRuns(engine.pool, { limit: 5 })).length === 1)
  await deciding.stop()
  expect(mail()).toEqual([])
  await addClaim(people.ines)
  await engine.startWorker(['mail'])
  await until('the first mail', () => mail().length === 1)
  await engine.startWorker(['changes'])
  await until('the second mail', () => mail().length === 2)
})
