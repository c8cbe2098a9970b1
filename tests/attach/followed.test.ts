import type { Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import { readSurroundings } from '@/engine/program'
import { attachTable } from '@/store/attach/attach'
import { listAttachedNews } from '@/store/attach/follow'
import { many, one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { readStanding } from '@/store/health'
import { listRuns } from '@/store/runs'
import { readSchema } from '@/store/tables'
import { readWorkflowRow } from '@/store/workflows'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { makeWholesale } from './wholesale'

/** Another program's tables are watched by a running worker, while that program's owner changes them. */
let engine: Engine
let worker: Awaited<ReturnType<Engine['startWorker']>>
let theirs: Awaited<ReturnType<typeof makeWholesale>>
beforeEach(async () => {
  engine = await startEngine()
  theirs = await makeWholesale(engine.url)
  for (const [table, name] of Object.entries({ region: 'regions', Customer: 'customers', employee: 'employees', order: 'orders', scan: 'scans' }))
    await attachTable(engine.pool, name, { schema: 'wholesale', table })
  worker = await engine.startWorker()
})
afterEach(async () => {
  await theirs.end()
  await engine.stop()
})

const SENT: Workflow = {
  rappel: 'workflow/1',
  name: 'Sent',
  table: 'orders',
  cue: { kind: 'record', on: ['created', 'changed'] },
  conditions: { all: [{ field: 'state', op: 'changed to', value: 'sent' }] },
  actions: [
    {
      name: 'tell',
      do: 'email',
      to: [{ field: 'customer.contact_email' }, { field: 'handled_by.reports_to.email' }],
      subject: 'Order {{ order.id }} for {{ order.customer.company_name }}, {{ order.customer.region.title }}',
      body: '{{ order.net }} {{ order.handled_by.reports_to.full_name }} {{ order.note }}',
      format: 'plain',
    },
  ],
} as unknown as Workflow

const mail = () => engine.room.store.list({})
const subjects = (count: number) =>
  until(`${count} mails`, () =>
    mail().length >= count
      ? mail()
          .map((m) => m.subject)
          .sort()
      : null,
  )
const table = async (name: string) => (await readSchema(engine.pool)).get(name) as TableDef
const news = async () => (await listAttachedNews(engine.pool, new Date(0), 20)).map((n) => `${n.table}: ${n.text}`)
const followed = (what: RegExp) => until(`news ${what}`, async () => ((await news()).some((n) => what.test(n)) ? true : null))
/** Waits until nothing of theirs is left to be logged. */
const nothingLeft = async () => {
  let left: unknown[] = []
  const look = async () => {
    left = await many(engine.pool, 'select tbl, op, error, tries from rappel.unlogged order by id')
    return left.length === 0
  }
  await until('all to be logged', look, 20_000).catch(() => undefined)
  expect(left).toEqual([])
}

test('a workflow tells over three links what another program wrote; columns are renamed, added, retyped under way and nothing is lost', async () => {
  await goLive(engine, SENT)
  await theirs.as.query(`update "order" set state = 'sent' where order_no = 1`)
  expect(await subjects(1)).toEqual(['Order 1 for Lantern & Sons, North'])
  expect(mail()[0]?.envelope.to).toEqual(['office@lantern.example', 'petra@wholesale.example'])

  // all in one transaction with a write, so that nobody can have followed before it
  const client = await theirs.as.connect()
  await client.query('begin')
  await client.query(`alter table "Customer" rename column "CompanyName" to "LegalName"; alter table "order" rename column net to "Net Amount"`)
  await client.query(`alter table "order" add column channel text; alter table "order" alter column discount type numeric(6, 3); alter table employee rename to staff`)
  await client.query(`update "order" set state = 'sent', "Net Amount" = 81, channel = 'web' where order_no = 2`)
  await client.query('commit')
  client.release()
  expect(await subjects(2)).toEqual(['Order 1 for Lantern & Sons, North', 'Order 2 for Quill Ltd, South'])
  await followed(/orders: Its owner renamed the column net to Net Amount/)
  await followed(/orders: Its owner added the column channel/)
  await followed(/customers: Its owner renamed the column CompanyName to LegalName/)
  await followed(/employees: Its owner calls the table wholesale\.staff now/)
  await nothingLeft()
  expect((await table('orders')).fields.map((f) => f.name)).toContain('channel')
  expect((await table('employees')).attached).toMatchObject({ table: 'staff' })
  expect(await many(engine.pool, `select kind, after ->> 'net' as net, after ->> 'channel' as channel from rappel_change.orders order by id desc limit 1`)).toEqual([
    { kind: 'changed', net: '81.00', channel: 'web' },
  ])
  await theirs.as.query(`insert into "order" (customer, state, channel) values (1, 'picked', 'desk')`)
  await theirs.as.query(`update "order" set state = 'sent' where channel = 'desk'`)
  expect((await subjects(3))[2]).toBe('Order 3 for Lantern & Sons, North')
  expect((await listRuns(engine.pool, { limit: 20 })).filter((r) => r.state === 'failed')).toEqual([])
})

test('a column that a live workflow speaks of is dropped: it is paused, and Today’s news say what to do; the table goes on', async () => {
  await goLive(engine, SENT)
  await theirs.as.query(`alter table "order" drop column note`)
  await theirs.as.query(`update "order" set net = 7 where order_no = 1`)
  await followed(/orders: Its owner dropped the column note: the field note is gone\. Paused, because they speak of it: Sent\. Take the field out/)
  expect((await readWorkflowRow(engine.pool, 'Sent'))?.state).toBe('paused')
  await nothingLeft()
  expect(await many(engine.pool, `select changed from rappel_change.orders order by id desc limit 1`)).toEqual([{ changed: ['net', 'gross'] }])
})

test('a table that is dropped is told, and one of its name is taken up again', async () => {
  await theirs.as.query('drop table scan cascade')
  await followed(/scans: wholesale\.scan is gone: its owner dropped it/)
  expect((await table('scans')).attached?.trouble).toMatch(/is gone/)
  expect(await one(engine.pool, 'select count(*)::int as n from data.scans')).toEqual({ n: 0 })
  await theirs.as.query(`create table scan (id bigint primary key, parcel text not null, place text, at timestamptz not null default now()); insert into scan values (5, 'P5')`)
  await theirs.grant(`grant select, insert, update, delete, trigger on wholesale.scan to ${new URL(engine.url).username}`)
  await followed(/scans: The table can be read and watched again/)
  await theirs.as.query(`update scan set place = 'Hall 3'`)
  expect(await many(engine.pool, `select kind, after ->> 'place' as place from rappel_change.scans order by id desc limit 1`)).toEqual([{ kind: 'changed', place: 'Hall 3' }])
  expect(await one(engine.pool, 'select count(*)::int as n from data.scans')).toEqual({ n: 1 })
})

test('where a table is put aside and another takes its name, both are told, and which of them is watched', async () => {
  await theirs.as.query(
    `create table newer (like region including all); insert into newer select * from region; alter table region rename to region_before; alter table newer rename to region`,
  )
  await followed(/regions: Its owner calls the table wholesale\.region_before now, and it is still the one that is watched; another is called wholesale\.region, and that is not\./)
})

test('choices, partitions and rights are followed; what is not watched is known to health', async () => {
  await theirs.as.query(`alter type order_state add value 'lost'; create table scan_3 partition of scan for values from (5000) to (6000)`)
  await theirs.grant(`grant select, trigger on wholesale.scan_3 to ${new URL(engine.url).username}`)
  await followed(/scans: A part of it was not watched/)
  await until('the choice', async () => ((await table('orders')).fields.find((f) => f.name === 'state')?.choices?.includes('lost') ? true : null), 30_000)
  await theirs.as.query(`insert into scan_3 (id, parcel) values (5001, 'P')`)
  expect((await many(engine.pool, 'select rec from rappel_change.scans')).length).toBe(1)
  await theirs.as.query('alter table region disable trigger user')
  expect((await readStanding(engine.pool)).uncaptured).toEqual(['Region'])
})

test('a value of an enumeration that its owner calls otherwise goes along wherever it is spoken of; one that is gone from a list is told', async () => {
  await goLive(engine, SENT)
  const rated: Workflow = {
    ...SENT,
    name: 'Rated',
    table: 'customers',
    conditions: { all: [{ field: 'rating', op: 'is', value: 'A' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: 'R', body: 'b', format: 'plain' }],
  }
  await goLive(engine, rated)
  await putFigure(
    engine.pool,
    { rappel: 'figure/1', name: 'by_state', table: 'orders', of: { count: true }, by: 'state' },
    await readSurroundings(engine.pool, BASE_URL),
    new Date(),
  )
  await theirs.as.query(`drop trigger no_reopening on "order"; alter type order_state rename value 'sent' to 'shipped'; alter type order_state rename value 'placed' to 'ordered'`)
  await followed(/orders: Its owner calls "sent" of state "shipped" now/)
  expect((await readWorkflowRow(engine.pool, 'Sent'))?.live).toMatchObject({ conditions: { all: [{ value: 'shipped' }] } })
  await theirs.as.query(`update "order" set state = 'shipped' where order_no = 1`)
  expect(await subjects(1)).toEqual(['Order 1 for Lantern & Sons, North'])
  const groups = async () => (await many<{ grp: string }>(engine.pool, 'select grp from rappel.figure_value where n > 0 order by 1')).map((g) => g.grp).join()
  await until('the figure', async () => (await groups()) === 'draft,shipped', 20_000)
  await theirs.as.query(`alter domain rating drop constraint rating_check; alter domain rating add check (value in ('B', 'C', 'X'))  not valid`)
  await followed(/customers: Its owner took "A" from what rating may be, which these still speak of: the workflow “Rated”\. Say in them what it is now\./)
})

test('writers of another program are never refused, nor kept waiting for long, whatever happens to the log; what was left is logged in order', async () => {
  await worker.stop()
  const blocker = await engine.pool.connect()
  await blocker.query('begin')
  await blocker.query('lock table rappel_log.orders in access exclusive mode') // as whoever mends the log would
  await theirs.as.query(`update "order" set net = 11 where order_no = 1; update "order" set net = 12, state = 'sent' where order_no in (1, 2)`)
  await theirs.as.query('delete from "order" where order_no = 2')
  await blocker.query('commit')
  blocker.release()
  expect(await many(engine.pool, 'select op, error from rappel.unlogged order by id')).toEqual(
    ['UPDATE', 'UPDATE', 'DELETE'].map((op) => ({ op, error: 'canceling statement due to lock timeout' })),
  )
  await goLive(engine, SENT)
  await theirs.as.query(`update "order" set net = 13 where order_no = 1`) // logged at once, beside what was left
  await engine.startWorker()
  await nothingLeft()
  expect(
    await many(engine.pool, `select rec, kind, changed from rappel_change.orders where 'net' = any(changed) and (after ->> 'net')::numeric <> 13 or kind = 'deleted' order by id`),
  ).toEqual([
    { rec: 1, kind: 'changed', changed: ['net', 'gross'] },
    { rec: 1, kind: 'changed', changed: ['state', 'net', 'gross'] },
    { rec: 2, kind: 'changed', changed: ['state', 'net', 'gross'] },
    { rec: 2, kind: 'deleted', changed: [] },
  ])
})

test('a change of a table with so many columns that no row of its log holds it is recorded as an image, and fires', async () => {
  const columns = Array.from({ length: 200 }, (_, i) => `c${i}`)
  await theirs.as.query(`create table wide (id int primary key, ${columns.map((c) => `${c} text`).join(', ')})`)
  await theirs.grant(`grant select, trigger on wholesale.wide to ${new URL(engine.url).username}`)
  await attachTable(engine.pool, 'wide', { schema: 'wholesale', table: 'wide' })
  await goLive(engine, {
    rappel: 'workflow/1',
    name: 'Wide',
    table: 'wide',
    cue: { kind: 'record', on: ['changed'] },
    conditions: { all: [{ field: 'c7', op: 'changed' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'stock@wholesale.example' }], subject: 'From {{ before.c7 }} to {{ record.c7 }}', body: 'x', format: 'plain' }],
  })
  await theirs.as.query(`insert into wide select 1, ${columns.map((c) => `left(md5('${c}'), 23)`).join(', ')}`)
  await theirs.as.query(`update wide set ${columns.map((c) => `${c} = left(md5(${c}), 23)`).join(', ')}`)
  await nothingLeft()
  const row = await one<{ before: string; now: string }>(engine.pool, `select left(md5('c7'), 23) as before, c7 as now from wholesale.wide`)
  expect(await subjects(1)).toEqual([`From ${row.before} to ${row.now}`])
  expect(await one(engine.pool, `select cardinality(changed) as changed, rec from rappel.change_json where tbl = 'wide'`)).toEqual({ changed: 200, rec: 1 })
})
