import { simpleParser } from 'mailparser'
import type { Action, Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import { readReviewSetting } from '@/engine/program'
import { many, one } from '@/store/database'
import { listRuns, readRun } from '@/store/runs'
import { putSender, putTemplate } from '@/store/templates'
import { KEEPER, makeBoats, tripWorkflow } from '../support/boats'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
let made: { keeper: number; boat: number; trip: number }
beforeEach(async () => {
  engine = await startEngine()
  made = await makeBoats(engine.pool)
})
afterEach(() => engine.stop())

/** Puts a workflow live, cancels the trip and waits for its run. */
async function cancelled(parts: Partial<Workflow>) {
  const workflow = tripWorkflow(parts)
  expect(review(workflow, await readReviewSetting(engine.pool))).toEqual([])
  await goLive(engine, workflow)
  await engine.startWorker()
  await engine.pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  const [run] = await until('the run', async () => {
    const runs = (await listRuns(engine.pool, { workflow: 'Cancelled trip', limit: 5 })).filter((r) => !r.state.endsWith('waiting'))
    return runs.length ? runs : null
  })
  return (await readRun(engine.pool, run?.id as number)) as NonNullable<Awaited<ReturnType<typeof readRun>>>
}

const email = (parts: object): Action => ({ name: 'tell', do: 'email', to: [], subject: 'S', body: 'B', ...parts }) as Action
const arrived = (count: number) => until(`${count} mails`, () => (engine.room.store.list({}).length >= count ? engine.room.store.list({}) : null))
const textOf = async (id: number) => (await simpleParser(await engine.room.store.source(id))).text?.trim()

test('a related list is brought in and each of it is mailed in its own words', async () => {
  await cancelled({
    bringIn: [{ name: 'guests', list: 'bookings.trip', order: '-seats' }],
    actions: [
      email({ to: [{ list: 'guests', field: 'email' }], delivery: 'each', body: '{{ recipient.name }}, {{ recipient.seats }} seats on {{ trip.boat }}, {{ guests.size }} in all' }),
    ],
  })
  await arrived(2)
  expect([await textOf(1), await textOf(2)].sort()).toEqual(['Ana, 2 seats on Gull, 3 in all', 'Cy, 4 seats on Gull, 3 in all'])
})

test('a list is filtered against the record, ordered and limited', async () => {
  await engine.pool.query('update data.trips set told = 2 where id = 1')
  await cancelled({
    bringIn: [{ name: 'guests', list: 'bookings.trip', where: { all: [{ field: 'seats', op: 'at least', value: { field: 'record.told' } }] }, order: '-seats', limit: 1 }],
    actions: [email({ to: [{ address: 'desk@x.example' }], body: '{% for g in guests %}{{ g.name }} {{ g.trip.number }};{% endfor %}' })],
  })
  await arrived(1)
  expect(await textOf(1)).toBe('Cy TR-01;')
})

test('a linked record, named values and a formula', async () => {
  await cancelled({
    bringIn: [
      { name: 'gull', link: 'boat' },
      { name: 'others', list: 'trips.boat', of: 'gull' },
      { name: 'guests', list: 'bookings.trip' },
    ],
    values: [
      { name: 'seats', formula: 'sum(guests.seats)' },
      { name: 'greeting', text: 'Hello {{ gull.keeper.first_name }}' },
    ],
    actions: [email({ to: [{ field: 'gull.keeper' }], subject: '{{ greeting }}', body: '{{ seats }} seats, {{ others.size }} trip' })],
  })
  const [mail] = await arrived(1)
  expect([mail?.envelope.to, mail?.subject, await textOf(1)]).toEqual([[KEEPER], 'Hello Kit', '7 seats, 1 trip'])
})

test('update, create and task are done in one transaction with the run; later actions see earlier ones', async () => {
  const run = await cancelled({
    actions: [
      { name: 'before it', do: 'email', to: [{ address: 'a@x.example' }], subject: 'told {{ trip.told }}', body: 'B' },
      { name: 'mark', do: 'update', set: { told: { formula: 'told + 1' }, told_on: { today: 0 } } },
      { name: 'lay up', do: 'update', target: 'boat', set: { state: 'Laid up' } },
      { name: 'check', do: 'create', table: 'checks', set: { boat: { field: 'boat' }, inspector: { field: 'boat.keeper' }, due: { today: 2 } } },
      { name: 'follow up', do: 'task', subject: 'See to {{ check.number }}', owner: 'boat.keeper', due: { today: 2 }, note: 'told {{ trip.told }}' },
      { name: 'after it', do: 'email', to: [{ field: 'check.inspector' }], subject: 'told {{ trip.told }}, {{ check.number }}', body: '{{ trip.boat.state }}' },
    ],
  })
  expect(run).toMatchObject({ state: 'done', error: null })
  await arrived(2)
  expect(
    engine.room.store
      .list({})
      .map((m) => m.subject)
      .sort(),
  ).toEqual(['told 0', 'told 1, CK-001'])
  expect(await one(engine.pool, 'select told, (select state from data.boats where id = 1) as boat from data.trips where id = 1')).toEqual({ told: '1', boat: 'Laid up' })
  expect(await one(engine.pool, 'select number, boat, inspector from data.checks')).toEqual({ number: 'CK-001', boat: made.boat, inspector: made.keeper })
  expect(await one(engine.pool, 'select subject, owner, note, trip from data.tasks')).toEqual({ subject: 'See to CK-001', owner: made.keeper, note: 'told 1', trip: 1 })
  const changes = await many<{ tbl: string; run: number; depth: number; by: { name: string } }>(
    engine.pool,
    `select tbl, run, depth, by from rappel.change where run is not null order by id`,
  )
  expect(changes.map((c) => [c.tbl, c.run, c.depth, c.by.name])).toEqual(['trips', 'boats', 'checks', 'tasks'].map((t) => [t, run.id, 1, 'Cancelled trip']))
})

test('what was brought in shows what the run wrote into it since, in texts, formulas and further updates', async () => {
  await cancelled({
    bringIn: [
      { name: 'gull', link: 'boat' },
      { name: 'guests', list: 'bookings.trip', order: 'name' },
    ],
    actions: [
      { name: 'lay up', do: 'update', target: 'gull', set: { state: 'Laid up' } },
      { name: 'one more', do: 'update', target: 'guests', set: { seats: 1 } },
      { name: 'rename', do: 'update', target: 'guests', set: { name: { text: 'G' } } },
      email({ to: [{ address: 'a@x.example' }], body: '{{ gull.state }} {% for g in guests %}{{ g.name }}{{ g.seats }}{% endfor %}' }),
      { name: 'sum up', do: 'update', set: { told: { formula: 'sum(guests.seats) + 0.1 + 0.2' } } },
    ],
  })
  await arrived(1)
  expect(await textOf(1)).toBe('Laid up G1G1G1')
  expect(await one(engine.pool, 'select told from data.trips where id = 1')).toEqual({ told: '3.3' })
})

test('a task is about the record, or what its path leads to: by a link where there is one, else in the note', async () => {
  await cancelled({
    actions: [
      { name: 'own', do: 'task', subject: 'Own' },
      { name: 'boat', do: 'task', subject: 'Boat', about: 'boat', note: 'Soon' },
    ],
  })
  expect(await many(engine.pool, 'select subject, trip, note from data.tasks order by id')).toEqual([
    { subject: 'Own', trip: 1, note: null },
    { subject: 'Boat', trip: null, note: `Soon\n\nAbout Gull: http://rappel.example/records/boats/${made.boat}` },
  ])
})

test('choose takes the first branch that holds; each goes through a list under its own name', async () => {
  await cancelled({
    bringIn: [{ name: 'guests', list: 'bookings.trip', order: 'name' }],
    actions: [
      {
        name: 'go through',
        do: 'each',
        of: 'guests',
        as: 'guest',
        where: { all: [{ field: 'email', op: 'is filled' }] },
        actions: [
          {
            name: 'by size',
            do: 'choose',
            branches: [
              {
                when: { field: 'guest.seats', op: 'at least', value: 4 },
                actions: [email({ name: 'large', about: 'guest', to: [{ field: 'guest.email' }], subject: 'Large party {{ guest.name }}' })],
              },
              {
                when: { field: 'guest.seats', op: 'at least', value: 1 },
                actions: [email({ name: 'small', to: [{ field: 'guest.email' }], subject: 'Small party {{ guest.name }}' })],
              },
            ],
            otherwise: [email({ name: 'none', to: [{ field: 'guest.email' }], subject: 'Nobody' })],
          },
        ],
      },
    ],
  })
  await arrived(2)
  expect(
    engine.room.store
      .list({})
      .map((m) => [m.envelope.to[0], m.subject])
      .sort(),
  ).toEqual([
    ['ana@x.example', 'Small party Ana'],
    ['cy@x.example', 'Large party Cy'],
  ])
  expect(await one(engine.pool, `select tbl, rec from rappel.message where subject like 'Large%'`)).toEqual({ tbl: 'bookings', rec: 3 })
})

test('a template, a sender identity and a reply address', async () => {
  await putTemplate(
    engine.pool,
    { name: 'Off', table: 'trips', subject: '{{ trip.number }} is off', body: '<p>Sorry about {{ trip.boat }}.</p>', format: 'rich', priority: 'high' },
    null,
  )
  await putSender(engine.pool, { name: 'Quay', display: 'The Quay', address: 'quay@boats.example' })
  await cancelled({ actions: [{ name: 'tell', do: 'email', template: 'Off', from: { sender: 'Quay' }, replyTo: { field: 'boat.keeper' }, to: [{ address: 'a@x.example' }] }] })
  await arrived(1)
  const mail = await simpleParser(await engine.room.store.source(1))
  expect([mail.subject, mail.text?.trim(), mail.from?.value[0], mail.replyTo?.value[0]?.address, mail.headers.get('priority')]).toEqual([
    'TR-01 is off',
    'Sorry about Gull.',
    expect.objectContaining({ name: 'The Quay', address: 'quay@boats.example' }),
    KEEPER,
    'high',
  ])
})

test('a run that cannot write fails alone, in words, and undoes what it had done', async () => {
  await engine.pool.query("alter table data.boats add constraint never_laid_up check (state <> 'Laid up')")
  const run = await cancelled({
    actions: [
      { name: 'mark', do: 'update', set: { told: 9 } },
      { name: 'lay up', do: 'update', target: 'boat', set: { state: 'Laid up' } },
      email({ name: 'tell', to: [{ address: 'a@x.example' }] }),
    ],
  })
  expect(run).toMatchObject({ state: 'failed', error: expect.stringContaining('never_laid_up') })
  expect(await one(engine.pool, 'select told, state from data.trips where id = 1')).toEqual({ told: '0', state: 'Cancelled' })
  expect(engine.room.store.list({})).toEqual([])
})

test('a run that meets a lock waits and is done when the lock is gone', async () => {
  const holder = await engine.pool.connect()
  await holder.query('begin')
  await holder.query('select 1 from data.boats where id = 1 for update')
  const done = cancelled({ actions: [{ name: 'lay up', do: 'update', target: 'boat', set: { state: 'Laid up' } }] })
  await until('the run to wait', async () => (await listRuns(engine.pool, { state: 'waiting', limit: 1 })).length === 1, 60_000)
  await holder.query('commit')
  holder.release()
  expect((await done).state).toBe('done')
  expect(await one(engine.pool, 'select state from data.boats where id = 1')).toEqual({ state: 'Laid up' })
}, 180_000)

test('a workflow is not set off again for the same record by its own effects, unless it says so', async () => {
  const actions: Action[] = [{ name: 'count', do: 'update', set: { told: { formula: 'told + 1' } } }]
  await cancelled({ firing: 'every', actions })
  await until('an empty queue', async () => (await many(engine.pool, 'select 1 from rappel.queue')).length === 0)
  expect(await one(engine.pool, 'select told from data.trips where id = 1')).toEqual({ told: '1' })
})

test('a loop is stopped at its depth and names the chain', async () => {
  await cancelled({ firing: 'every', refire: true, actions: [{ name: 'count', do: 'update', set: { told: { formula: 'told + 1' } } }] })
  const [stopped] = await until('the stop', async () => {
    const runs = await listRuns(engine.pool, { state: 'stopped', limit: 1 })
    return runs.length ? runs : null
  })
  expect(stopped?.error).toMatch(/^Stopped: loop\. (Cancelled trip → ){12}Cancelled trip set one another off 12 times\.$/)
  expect(await one(engine.pool, 'select told from data.trips where id = 1')).toEqual({ told: '12' })
})
