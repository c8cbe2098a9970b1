import type { Workflow } from '@/core/document/document'
import { readSurroundings } from '@/engine/program'
import { attachTable } from '@/store/attach/attach'
import { many, one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { readStanding } from '@/store/health'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { makeWholesale } from './wholesale'

/** While the owner of an attached table holds it, as a rewriting change of a column or a VACUUM FULL does for as long as it takes, what does not speak of it goes on. */
let engine: Engine
let theirs: Awaited<ReturnType<typeof makeWholesale>>
beforeEach(async () => {
  engine = await startEngine()
  theirs = await makeWholesale(engine.url)
  for (const [table, name] of Object.entries({ region: 'regions', Customer: 'customers', employee: 'employees', order: 'orders' }))
    await attachTable(engine.pool, name, { schema: 'wholesale', table })
})
afterEach(async () => {
  await theirs.end()
  await engine.stop()
})

const telling = (name: string, table: string, subject: string, on: string[] = ['created', 'changed']): Workflow =>
  ({
    rappel: 'workflow/1',
    name,
    table,
    cue: { kind: 'record', on },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'lead@office.example' }], subject, body: 'B', format: 'plain' }],
  }) as unknown as Workflow

const sent = (subject: string) => engine.room.store.list({}).filter((m) => m.subject.startsWith(subject)).length

test('a table that its owner holds keeps nothing waiting that does not speak of it, and its own goes once it is let go', async () => {
  await goLive(engine, telling('Orders', 'orders', 'Order {{ order.id }} of {{ order.customer.company_name }}', ['changed']))
  await goLive(engine, telling('Regions', 'regions', 'Region {{ region.title }}'))
  await goLive(engine, { ...telling('Marks', 'customers', 'M', ['changed']), actions: [{ name: 'mark', do: 'update', set: { terms: 'prepaid' } }] } as unknown as Workflow)
  const { n: orders } = await one<{ n: number }>(engine.pool, 'select count(*)::int as n from wholesale."order"')
  const { n: customers } = await one<{ n: number }>(engine.pool, 'select count(*)::int as n from wholesale."Customer"')
  const { n: regions } = await one<{ n: number }>(engine.pool, 'select count(*)::int as n from wholesale.region')
  await theirs.as.query(`update "Customer" set "Terms" = 'net 14'`)
  const owner = await theirs.as.connect()
  await owner.query('begin; lock table "Customer" in access exclusive mode')
  await theirs.as.query(`update "order" set note = 'x'`)
  await engine.startWorker()
  for (let i = 0; i < 5; i++) await theirs.as.query(`update region set title = title || '${i}'`)
  try {
    await until('mail about regions', () => sent('Region') === 5 * regions, 30_000)
    expect(sent('Order')).toBe(0)
    const waiting = () => many(engine.pool, `select state, error, undecided from rappel.run where tbl in ('orders', 'customers')`)
    await until('what waits', async () => (await waiting()).length === orders + customers)
    expect(await waiting()).toEqual(Array.from({ length: orders + customers }, () => ({ state: 'waiting', error: 'Customer is held by its owner.', undecided: true })))
    expect(await readStanding(engine.pool)).toMatchObject({ uncaptured: [], attached: [] }) // health is told without waiting
    await engine.pool.query(`update rappel.run set next_at = now() + interval '1 hour' where state = 'waiting'`) // as those are looked at that waited for long
  } finally {
    await owner.query('commit')
    owner.release()
  }
  await theirs.as.query(`update region set title = 'Let go'`)
  await until('mail about orders', () => sent('Order') === orders, 60_000)
  await until('what is written', async () => (await many(engine.pool, `select from wholesale."Customer" where "Terms" = 'prepaid'`)).length === customers, 60_000)
})

test('figures, waits and timetables that do not read it go on as well', async () => {
  const setting = await readSurroundings(engine.pool, BASE_URL)
  for (const figure of [
    { rappel: 'figure/1', name: 'net_by_region', table: 'orders', of: { sum: 'net' }, by: 'customer.region' },
    { rappel: 'figure/1', name: 'regions_there', table: 'regions', of: { count: true } },
  ] as const)
    await putFigure(engine.pool, figure, setting, new Date())
  for (const [name, table] of [
    ['Tick of customers', 'customers'],
    ['Tick of regions', 'regions'],
  ] as const)
    await goLive(engine, { ...telling(name, table, name), firing: 'every', cue: { kind: 'timetable', cron: '* * * * *', per: 'record' } } as unknown as Workflow)
  await goLive(engine, {
    ...telling('Stays', 'regions', 'Stays', ['changed']),
    cue: { kind: 'record', on: ['changed'], stays: 'P1D' },
    conditions: { all: [{ field: 'title', op: 'is', value: 'Stays so' }] },
  } as unknown as Workflow)
  const worker = await engine.startWorker()
  await theirs.as.query(`update region set title = 'Stays so' where code = (select min(code) from region)`)
  await until('the wait', async () => (await many(engine.pool, 'select from rappel.stay where outcome is null')).length === 1)
  await worker.stop()

  await theirs.as.query(`update "order" set net = net + 1; insert into region values ('ZZ', 'Another')`)
  const owner = await theirs.as.connect()
  await owner.query('begin; lock table "Customer" in access exclusive mode')
  await engine.pool.query(`update rappel.stay set due_at = now()`)
  const counted = async () =>
    (await many<{ n: number }>(engine.pool, `select v.n::int as n from rappel.figure_value v join rappel.figure f on f.id = v.figure where f.name = 'regions_there'`))[0]?.n
  const before = (await counted()) ?? 0
  const [ticked, tickedOf] = [sent('Tick of regions'), sent('Tick of customers')] // of a minute that passed before
  const again = await engine.startWorker()
  try {
    await until('the figure', async () => (await counted()) === before + 1, 60_000)
    await until('what stayed so', () => sent('Stays') === 1, 60_000)
    await until('the timetable', () => sent('Tick of regions') > ticked, 90_000)
    expect(sent('Tick of customers')).toBe(tickedOf)
    await again.stop()
  } finally {
    await owner.query('commit')
    owner.release()
  }
  await engine.startWorker()
  await until('the other timetable', () => sent('Tick of customers') > tickedOf, 60_000)
})
