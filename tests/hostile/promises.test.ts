import { changeOccasion } from '@/core/cues/occasion'
import { compileWorkflow, evaluateOrNeed } from '@/core/workflow/evaluate'
import { outcomeOf } from '@/engine/delivery/outcome'
import { catchUp } from '@/store/catch-up'
import { many, one, transaction } from '@/store/database'
import { giveSign, readStanding } from '@/store/health'
import { retryMessage } from '@/store/mail/by-hand'
import { claimMessages } from '@/store/mail/claim'
import { listRuns } from '@/store/runs'
import { readReach } from '@/store/today'
import { armTrial } from '@/store/trials'
import { actAs } from '@/store/who'
import { pauseWorkflow, putLive, resumeWorkflow, saveDraft } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { claimChange, loadedWorld, SURROUNDINGS } from '../support/core'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

test('a live run and a trial of the same change reserve ids of their own for what they create', async () => {
  const workflow = newClaimWorkflow({
    conditions: { field: 'note', op: 'is blank' },
    actions: [{ name: 'follow_up', do: 'create', table: 'claims', set: { note: 'follow-up', owner: { field: 'owner' } } }],
  })
  await goLive(engine, workflow)
  const by = { kind: 'person' as const, person: ines, name: 'Ines Okafor' }
  await armTrial(engine.pool, workflow.name, { person: ines, record: null, minutes: 5, by })
  await engine.startWorker()
  await transaction(engine.pool, async (db) => {
    await actAs(db, { by })
    await db.query('insert into data.claims (owner) values ($1)', [ines])
  })
  await until('both runs', async () => (await listRuns(engine.pool, { limit: 10 })).filter((r) => r.state === 'done').length === 2)
  expect((await listRuns(engine.pool, { limit: 10 })).map((r) => [r.error, r.state])).toEqual([
    [null, 'done'],
    [null, 'done'],
  ])
  const made = await many<{ number: string }>(engine.pool, `select number from data.claims where note = 'follow-up' order by id`)
  expect(new Set(made.map((m) => m.number)).size).toBe(2)
})

test('a list’s condition that counts from the clock counts from the moment of the change', () => {
  const workflow = newClaimWorkflow({
    bringIn: [
      { name: 'soon', list: 'claims', where: { field: 'due', op: 'within next', value: { days: 3 } } },
      { name: 'all', list: 'claims', where: { field: 'status', op: 'is', value: 'New' } },
    ],
    values: [{ name: 'n', formula: 'count(soon) + count(all)' }],
  })
  const change = claimChange('created', null, { owner: 2 })
  const compiled = compileWorkflow(workflow, SURROUNDINGS)
  const first = evaluateOrNeed(compiled, changeOccasion(change), loadedWorld(), false)
  expect(first).toEqual({ needs: [expect.objectContaining({ kind: 'list', at: '2026-03-03T07:40:00.000Z' })] })
})

test('a message that is tried again by hand after a day gets its full time again', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker(['changes'])
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  const { id } = await until('the message', () => many<{ id: number }>(engine.pool, 'select id from rappel.message').then((rows) => rows[0]))
  await engine.pool.query(`update rappel.message set created_at = now() - interval '2 days', state = 'failed', finished_at = now()`)
  await engine.pool.query(`update rappel.message_recipient set state = 'failed'`)
  const now = new Date()
  await retryMessage(engine.pool, id, now)
  const [claimed] = (await claimMessages(engine.pool, 1, 5, new Date(now.getTime() + 1_000))).messages
  const outcome = outcomeOf(
    claimed as never,
    1,
    { reached: true, reply: '450 busy', recipients: [{ position: 1, result: 'deferred', reply: '450 busy' }] },
    now,
    new Date(now.getTime() + 60_000),
    0,
  )
  expect([outcome.state, outcome.recipients[0]?.state]).toEqual(['queued', 'open'])
})

test('a message that waited for days before anybody could try it has its full time still', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker(['changes'])
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await until('the message', () => many(engine.pool, 'select 1 from rappel.message').then((rows) => rows.length === 1))
  await engine.pool.query(`update rappel.message set created_at = now() - interval '3 days'`)
  const now = new Date()
  const [claimed] = (await claimMessages(engine.pool, 1, 5, new Date(now.getTime() + 1_000))).messages
  const deferred = { reached: true, reply: '450 busy', recipients: [{ position: 1, result: 'deferred' as const, reply: '450 busy' }] }
  expect(outcomeOf(claimed as never, 1, deferred, now, new Date(now.getTime() + 23 * 3_600_000), 0).state).toBe('queued')
  expect(outcomeOf(claimed as never, 1, deferred, now, new Date(now.getTime() + 25 * 3_600_000), 0).state).toBe('failed')
})

test('health tells how long the oldest change, message and run have waited, and when each part last went round', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await engine.pool.query(`update rappel_log.claims set at = now() - interval '90 seconds'`)
  await giveSign(engine.pool, 'mail')
  const before = await readStanding(engine.pool)
  expect(before.uncaptured).toEqual([])
  expect(before).toMatchObject({ oldestMessage: null, oldestRun: null })
  expect([before.backlog > 0, (before.oldestChange ?? 0) >= 90, before.parts.changes, (before.parts.mail ?? 99) < 60]).toEqual([true, true, undefined, true])
  await engine.startWorker()
  await until('all to be handled', async () => (await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.message where state = 'sent'`)).n === 1)
  const after = await readStanding(engine.pool)
  expect([after.backlog, after.oldestChange, after.oldestMessage, (after.parts.changes ?? 99) < 60]).toEqual([0, null, null, true])
})

test('what goes live is the very draft that was checked', async () => {
  const first = newClaimWorkflow()
  const { draft_saved_at: checked } = await saveDraft(engine.pool, first.name, first, null)
  await new Promise((resolve) => setTimeout(resolve, 5))
  await saveDraft(engine.pool, first.name, { ...first, note: 'another' }, null)
  await expect(putLive(engine.pool, first.name, null, { checked })).rejects.toMatchObject({ code: 'conflict' })
  const by = { kind: 'person' as const, person: ines, name: 'Ines Okafor' }
  await expect(armTrial(engine.pool, first.name, { person: ines, record: null, minutes: 5, by, checked })).rejects.toMatchObject({ code: 'conflict' })
})

test('an outcome that cannot be written keeps no other waiting', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.pool.query(
    `create function public.refuse_one() returns trigger language plpgsql as $$ begin if new.message = 2 then raise exception 'not this one' using errcode = '22000'; end if; return new; end $$`,
  )
  await engine.pool.query('create trigger refuse_one before insert on rappel.delivery_attempt for each row execute function public.refuse_one()')
  await engine.pool.query('insert into data.claims (owner) select $1 from generate_series(1, 6)', [ines])
  await engine.startWorker()
  await until('the others to be sent', async () => (await many(engine.pool, `select 1 from rappel.message where state = 'sent'`)).length === 5)
  expect(await many(engine.pool, `select id, state from rappel.message where state <> 'sent'`)).toEqual([{ id: 2, state: 'sending' }])
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await until('a later one', async () => (await many(engine.pool, `select 1 from rappel.message where state = 'sent'`)).length === 6)
})

test('how long the slowest took leaves out what was run late', async () => {
  await goLive(engine, newClaimWorkflow())
  await pauseWorkflow(engine.pool, 'New claim')
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await engine.startWorker()
  await until('the change to pass by', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)
  await resumeWorkflow(engine.pool, 'New claim')
  expect(await catchUp(engine.pool, 'New claim')).toBe(1)
  const since = new Date(Date.now() - 3_600_000)
  await until('its mail', async () => (await readReach(engine.pool, since)).sent === 1)
  expect((await readReach(engine.pool, since)).slowest).toBeNull()
})
