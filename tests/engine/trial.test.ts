import { simpleParser } from 'mailparser'
import type { Workflow } from '@/core/document/document'
import { isTried } from '@/engine/trial'
import { many, transaction } from '@/store/database'
import { listRuns, readRun } from '@/store/runs'
import { armTrial, endTrials, latestTrial } from '@/store/trials'
import { actAs } from '@/store/who'
import { saveDraft } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let people: { ines: number; rafi: number }
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

const draft: Workflow = newClaimWorkflow({
  name: 'Tried',
  cue: { kind: 'record', on: ['created', 'changed'] },
  firing: 'every',
  actions: [
    {
      name: 'tell',
      do: 'email',
      to: [{ field: 'owner' }, { address: 'out@side.example' }],
      cc: [{ group: 'Nobody' }],
      bcc: [{ address: 'hid@side.example' }],
      subject: 'S',
      body: 'B',
    },
    { name: 'note it', do: 'update', set: { note: 'seen' } },
    { name: 'post it', do: 'notice', channel: 'Quays', text: 'N' },
  ],
})

const arm = (record: number | null) => {
  const by = { kind: 'person' as const, person: people.rafi, name: 'Rafi Demir' }
  return armTrial(engine.pool, 'Tried', { record, by, person: people.rafi, minutes: 60 })
}
const settled = () => until('an empty queue', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)

async function addAs(person: number | null): Promise<number> {
  return transaction(engine.pool, async (db) => {
    if (person) await actAs(db, { by: { kind: 'person', person, name: 'x' } })
    return (await many<{ id: number }>(db, 'insert into data.claims (owner) values ($1) returning id', [people.ines]))[0]?.id as number
  })
}

test('a draft armed for one’s own changes runs for real, and all its mail comes to oneself, saying to whom it would have gone', async () => {
  await saveDraft(engine.pool, 'Tried', draft, null)
  const trial = await arm(null)
  await engine.startWorker()
  const [theirs, mine] = [await addAs(people.ines), await addAs(people.rafi)]
  const [mail] = await until('the mail', () => (engine.room.store.list({}).length ? engine.room.store.list({}) : null))
  await settled()
  expect(engine.room.store.list({})).toHaveLength(1)
  expect(mail).toMatchObject({ subject: 'S', envelope: { to: [RAFI] } })
  const parsed = await simpleParser(await engine.room.store.source(1))
  const line = 'Trial: this would have gone to ines@office.example, out@side.example; Bcc hid@side.example. It went to you alone.'
  expect(parsed.text?.trimEnd()).toBe(`${line}\n\nB`)
  expect(parsed.html).toContain(line)
  expect(await many(engine.pool, 'select id, note from data.claims order by id')).toEqual([
    { id: theirs, note: null },
    { id: mine, note: 'seen' },
  ])
  const runs = await listRuns(engine.pool, { trial: trial.id, limit: 5 })
  expect(runs).toEqual([expect.objectContaining({ state: 'done', record: mine, trial: trial.id, workflow: 'Tried' })])
  expect(await readRun(engine.pool, runs[0]?.id as number)).toMatchObject({ document: draft })
  expect(await many(engine.pool, 'select channel, people::int[] as people, body from rappel.notice')).toEqual([
    { channel: null, people: [people.rafi], body: 'Trial: this would have gone to the channel Quays.\n\nN' },
  ])
})

test('a trial for one record leaves the others alone, and stands beside the live version’s own run', async () => {
  const { pool } = engine
  const [first, second] = [await addAs(null), await addAs(null)]
  await goLive(engine, { ...draft, actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'Live', body: 'B' }] })
  await saveDraft(pool, 'Tried', { ...draft, actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'Tried', body: 'B' }] }, null)
  await arm(first)
  await pool.query('update data.claims set amount = 1')
  await engine.startWorker()
  await until('three mails', () => engine.room.store.list({}).length === 3)
  await settled()
  const got = engine.room.store.list({}).map((m) => `${m.subject} to ${m.envelope.to}`)
  expect(got.sort()).toEqual([`Live to ${INES}`, `Live to ${INES}`, `Tried to ${RAFI}`])
  const runs = await listRuns(pool, { limit: 9 })
  expect(runs.map((r) => [r.record, r.trial !== null]).sort()).toEqual([
    [first, false],
    [first, true],
    [second, false],
  ])
})

test('it ends by hand or by time, and arming it again ends the one before', async () => {
  await saveDraft(engine.pool, 'Tried', draft, null)
  const one = await arm(null)
  const two = await arm(null)
  const ended = await many<{ id: number; ended: boolean }>(engine.pool, 'select id, ended_at is not null as ended from rappel.trial order by id')
  expect(ended).toEqual([
    { id: one.id, ended: true },
    { id: two.id, ended: false },
  ])
  expect(await endTrials(engine.pool, 'Tried', people.rafi)).toBe(1)
  await addAs(people.rafi)
  await engine.startWorker()
  await settled()
  expect(await listRuns(engine.pool, { limit: 5 })).toEqual([])
  expect((await latestTrial(engine.pool, 'Tried', people.rafi))?.armed).toBe(false)
})

test('which changes a trial takes', () => {
  const by = (person: number | null, name = 'n') => ({ kind: person ? ('person' as const) : ('token' as const), person, name })
  const until = new Date('2026-03-03T09:00:00Z')
  const at = new Date('2026-03-03T08:59:59Z')
  expect(isTried({ record: 7, by: by(1), until }, { record: 7, by: by(2), at })).toBe(true)
  expect(isTried({ record: 7, by: by(1), until }, { record: 8, by: by(1), at })).toBe(false)
  expect(isTried({ record: null, by: by(1), until }, { record: 8, by: by(1), at })).toBe(true)
  expect(isTried({ record: null, by: by(1), until }, { record: 8, by: by(2), at })).toBe(false)
  expect(isTried({ record: null, by: by(null, 'a'), until }, { record: 8, by: by(null, 'a'), at })).toBe(true)
  expect(isTried({ record: null, by: by(null, 'a'), until }, { record: 8, by: by(null, 'b'), at })).toBe(false)
  expect(isTried({ record: 7, by: by(1), until }, { record: 7, by: by(1), at: new Date(until.getTime() + 1) })).toBe(false)
})
