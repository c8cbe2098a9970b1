import type { Workflow } from '@/core/document/document'
import { attachTable } from '@/store/attach/attach'
import { many, one } from '@/store/database'
import { type Engine, goLive, startEngine, until } from '../support/engine'
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
  const worker = await engine.startWorker()
  const owner = await theirs.as.connect()
  await owner.query('begin; lock table "Customer" in access exclusive mode')
  await theirs.as.query(`update "order" set note = 'x'`)
  const { n: orders } = await one<{ n: number }>(engine.pool, 'select count(*)::int as n from wholesale."order"')
  await new Promise((resolve) => setTimeout(resolve, 500))
  for (let i = 0; i < 5; i++) await theirs.as.query(`update region set title = title || '${i}'`)
  const { n: regions } = await one<{ n: number }>(engine.pool, 'select count(*)::int as n from wholesale.region')
  try {
    await until('mail about regions', () => sent('Region') === 5 * regions, 30_000)
    expect(sent('Order')).toBe(0)
    expect(await many(engine.pool, 'select state, error, undecided from rappel.run where tbl = $1', ['orders'])).toEqual(
      Array.from({ length: orders }, () => ({ state: 'waiting', error: 'Customer is held by its owner, so nothing can be read of it.', undecided: true })),
    )
    await worker.stop()
  } finally {
    await owner.query('commit')
    owner.release()
  }
  await engine.startWorker()
  await until('mail about orders', () => sent('Order') === orders, 60_000)
})
