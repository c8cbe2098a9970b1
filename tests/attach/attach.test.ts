import type { Pool } from 'pg'
import type { TableDef } from '@/core/values/tables'
import { attachTable, listAttachable } from '@/store/attach/attach'
import { followTable, otherAttached } from '@/store/attach/follow'
import { createPool, many, one } from '@/store/database'
import { removeTable } from '@/store/design/remove'
import { createRecord, deleteRecord, editRecords, lockRecord, readRecord, updateRecord } from '@/store/records'
import { readSchema } from '@/store/tables'
import { freshDatabase } from '../support/database'
import { makeWholesale } from './wholesale'

let db: Awaited<ReturnType<typeof freshDatabase>>
let theirs: Awaited<ReturnType<typeof makeWholesale>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  theirs = await makeWholesale(db.url)
})
afterEach(async () => {
  await theirs.end()
  await db.drop()
})

const ATTACH: Readonly<Record<string, string>> = {
  region: 'regions',
  Customer: 'customers',
  employee: 'employees',
  order: 'orders',
  delivery: 'deliveries',
  scan: 'scans',
  journal: 'journal',
}

const attachAll = async () => {
  for (const [table, name] of Object.entries(ATTACH)) await attachTable(pool, name, { schema: 'wholesale', table })
  await attachTable(pool, 'items', { schema: 'Old Stock', table: 'Item No' })
}
const tableOf = async (name: string) => (await readSchema(pool)).get(name) as TableDef
const fieldsOf = async (name: string) => Object.fromEntries((await tableOf(name)).fields.map((f) => [f.name, f.type === 'link' ? `link to ${f.table}` : f.type]))
const changes = (table: string) =>
  many<{ rec: unknown; kind: string; before: unknown; after: Record<string, unknown>; changed: string[]; by: { name: string } }>(
    pool,
    `select rec, kind, before, after, changed, by from rappel_change."${table}" order by id`,
  )

test('what can be attached is told, and why the rest cannot', async () => {
  const all = new Map((await listAttachable(pool)).map((t) => [`${t.schema}.${t.table}`, t]))
  expect([...all.values()].filter((t) => t.why === null).map((t) => `${t.schema}.${t.table} as ${t.name}`)).toEqual([
    'Old Stock.Item No as item_no',
    'wholesale.Customer as customer',
    'wholesale.delivery as delivery',
    'wholesale.employee as employee',
    'wholesale.journal as journal',
    'wholesale.order as order',
    'wholesale.region as region',
    'wholesale.scan as scan',
  ])
  const why = (name: string) => all.get(`wholesale.${name}`)?.why
  expect(why('loose')).toBe('It has no primary key, so that its rows cannot be told apart. Its owner gives it one: alter table wholesale.loose add primary key (…);')
  expect(why('order_line')).toMatch(/^Its primary key has 2 columns \(order_no, line\)/)
  expect(why('half')).toMatch(/is numeric; it has to be a whole number, a uuid or a text/)
  expect([why('parent'), why('child')?.slice(0, 26)]).toEqual([expect.stringMatching(/^It inherits/), 'It has no primary key, so '])
  expect([why('big_orders'), why('totals')]).toEqual([expect.stringMatching(/^It is a view/), expect.stringMatching(/^It is a materialized view/)])
  expect(all.has('wholesale.scan_1')).toBe(false)
  await expect(attachTable(pool, 'lines', { schema: 'wholesale', table: 'order_line' })).rejects.toThrow(/cannot be attached\. Its primary key has 2 columns/)
  await expect(attachTable(pool, 'none', { schema: 'wholesale', table: 'nothing' })).rejects.toThrow(/no table wholesale\.nothing/)
  await expect(attachTable(pool, 'catalogue', { schema: 'pg_catalog', table: 'pg_class' })).rejects.toThrow(/no table/)
})

test('a table has a most of columns that can be watched, before it is attached and after', async () => {
  const columns = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => `c${from + i} int`)
  const why = 'It has 751 columns; 750 are the most that can be watched.'
  await theirs.as.query(`create table long (id int primary key, ${columns(0, 749)})`)
  await theirs.grant(`grant select, trigger on wholesale.long to ${new URL(db.url).username}`)
  await attachTable(pool, 'long', { schema: 'wholesale', table: 'long' })
  await theirs.as.query(`insert into long (id, c7) values (1, 5); alter table long add column c749 int; update long set c7 = 6`)
  expect(await followTable(pool, 'long')).toEqual([`${why} Nothing is read of it and nothing recorded until that is mended; then it goes on by itself.`])
  expect((await tableOf('long')).attached?.trouble).toBe(why)
  await theirs.as.query('alter table long drop column c1')
  expect((await followTable(pool, 'long'))[0]).toMatch(/again/)
  await theirs.as.query('update long set c7 = 8')
  expect((await changes('long')).map((c) => c.after.c7)).toEqual([5, 6, 8])
  await theirs.as.query('alter table long add column c750 int')
  await pool.query(`select rappel.detach('long')`)
  expect((await listAttachable(pool)).find((t) => t.table === 'long')?.why).toBe(why)
})

test('without what its owner has to grant, the sentence to run is given', async () => {
  await theirs.grant(`revoke trigger on region from ${new URL(db.url).username}`)
  const region = (await listAttachable(pool)).find((t) => t.table === 'region')
  expect(region?.why).toBe(`Its owner has to allow it: grant select, trigger on wholesale.region to ${new URL(db.url).username};`)
  await theirs.grant(`grant select, trigger on wholesale.region to ${new URL(db.url).username}`)
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
})

/** PostgreSQL 15, 5.8 "Row Security Policies": where it is enabled and no policy allows a row, none is visible, without an error. */
test('a table whose row security keeps rows from Rappel is not attached, with the sentence that lets it see them', async () => {
  const role = new URL(db.url).username
  const why = async (name: string) => (await listAttachable(pool)).find((t) => t.table === name)?.why
  await theirs.as.query(`alter table region enable row level security; create policy northern on region for select using (code = 'N')`)
  const sentence = `create policy rappel_sees_all on wholesale.region for select to ${role} using (true);`
  expect(await why('region')).toBe(`Row security keeps rows of it from ${role}. Its owner lets it see all of them: ${sentence}`)
  await theirs.as.query(sentence)
  expect(await why('region')).toBeNull()
  await theirs.as.query(`create policy only_here on region as restrictive for select to ${role} using (code <> 'S')`)
  expect(await why('region')).toMatch(/^Row security keeps rows of it/)
  await theirs.as.query('drop policy only_here on region')
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  expect(await one(pool, 'select count(*)::int as n from data.regions')).toEqual({ n: 2 })

  await theirs.as.query('drop policy rappel_sees_all on region')
  expect(await otherAttached(pool)).toEqual(['regions'])
  expect(await followTable(pool, 'regions')).toEqual([expect.stringMatching(/^Row security keeps rows of it .* Nothing is read of it and nothing recorded until that is mended/)])
  await theirs.as.query(sentence)
  expect(await followTable(pool, 'regions')).toEqual([expect.stringMatching(/can be read and watched again/)])

  await theirs.as.query('alter table scan_2 enable row level security') // a partition, which is read by itself when it is emptied
  expect(await why('scan')).toMatch(/Its owner lets it see all of them, in its partitions too: create policy rappel_sees_all on wholesale\.scan for select/)
})

test('a trigger of its program that writes to the row it is fired for: the change is what both came to, also where neither could be logged as it came', async () => {
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  await theirs.as.query(`create function again() returns trigger language plpgsql as $$ begin
    if pg_trigger_depth() < 2 then update wholesale.region set title = new.title || '!' where code = new.code; end if; return null; end $$;
    create trigger again after insert or update on region for each row execute function again()`)
  await theirs.as.query(`update region set title = 'Northern' where code = 'N'; insert into region values ('W', 'West')`)
  await theirs.as.query('alter table region add column lead text')
  await theirs.as.query(`update region set title = 'Southern' where code = 'S'`)
  expect(await many(pool, 'select 1 from rappel.unlogged')).toHaveLength(2)
  await followTable(pool, 'regions')
  expect((await changes('regions')).map((c) => [c.rec, c.kind, c.before, c.after.title])).toEqual([
    ['N', 'changed', { title: 'North' }, 'Northern'],
    ['N', 'changed', { title: 'Northern' }, 'Northern!'],
    ['W', 'created', null, 'West'],
    ['W', 'changed', { title: 'West' }, 'West!'],
    ['S', 'changed', { title: 'South' }, 'Southern'],
    ['S', 'changed', { title: 'Southern' }, 'Southern!'],
  ])
})

test('columns become fields of their types; foreign keys links, whichever was attached first', async () => {
  await attachAll()
  expect(await fieldsOf('customers')).toEqual({
    company_name: 'text',
    contact_email: 'email',
    region: 'link to regions',
    credit_limit: 'money',
    rating: 'choice',
    since: 'date',
    is_active: 'yes/no',
    terms: 'choice',
    tags: 'text',
    extra: 'text',
  })
  expect(await fieldsOf('orders')).toEqual({
    customer: 'link to customers',
    handled_by: 'link to employees',
    state: 'choice',
    placed_on: 'date-time',
    ship_by: 'date',
    net: 'number',
    discount: 'number',
    gross: 'number',
    note: 'text',
  })
  expect(await fieldsOf('employees')).toMatchObject({ reports_to: 'link to employees', email: 'email', hired: 'date-time' })
  expect(await fieldsOf('deliveries')).toEqual({ order_no: 'number', line: 'number', at: 'date-time' })
  const [customers, orders, employees, items] = [await tableOf('customers'), await tableOf('orders'), await tableOf('employees'), await tableOf('items')]
  expect([customers.titleField, employees.key, items.key, items.fields.map((f) => f.label)]).toEqual(['company_name', 'uuid', 'text', ['Shelf Mark', 'Left']])
  expect(customers.fields.find((f) => f.name === 'terms')?.choices).toEqual(['net 14', 'net 30', 'prepaid'])
  expect(customers.fields.find((f) => f.name === 'rating')?.choices).toEqual(['A', 'B', 'C'])
  expect(orders.fields.find((f) => f.name === 'state')?.choices).toEqual(['draft', 'placed', 'picked', 'sent', 'returned'])
  expect([...customers.fields, ...orders.fields].filter((f) => f.readOnly).map((f) => f.name)).toEqual(['tags', 'extra', 'gross'])
  expect(orders.attached).toEqual({ schema: 'wholesale', table: 'order', mayCreate: true, mayChange: true, mayDelete: true })
})

test('records are read, written and locked under their fields’ names, past the other program’s triggers', async () => {
  await attachAll()
  const [orders, customers] = [await tableOf('orders'), await tableOf('customers')]
  expect(await readRecord(pool, orders, 1)).toMatchObject({ id: 1, customer: 1, state: 'placed', net: 120, gross: 144, created_at: expect.any(String) })
  const made = await createRecord(pool, orders, { customer: 2, state: 'draft', net: 10.5, placed_on: '2026-03-01T10:00:00Z' })
  expect(made).toMatchObject({ id: 3, customer: 2, gross: 12.6, placed_on: '2026-03-01T10:00:00+00:00' })
  expect(await updateRecord(pool, orders, 3, { state: 'sent', discount: 0.5 })).toMatchObject({ state: 'sent', discount: 0.5 })
  await expect(updateRecord(pool, orders, 3, { state: 'draft' })).rejects.toThrow(/breaks the rule/)
  expect(await one(pool, 'select count(*)::int as n from wholesale.journal')).toEqual({ n: 1 })
  const quill = await createRecord(pool, customers, { company_name: 'New', credit_limit: 12.5, terms: 'net 14', since: '2026-01-02' })
  expect(await one(pool, 'select "CreditLimit"::numeric as limit, "Since"::text as since from wholesale."Customer" where "CustomerId" = $1', [quill.id])).toEqual({
    limit: '12.50',
    since: '2026-01-02',
  })
  expect(await lockRecord(pool, orders, 3)).toMatchObject({ id: 3 })
  expect(await deleteRecord(pool, orders, 3)).toBe(true)
  await expect(deleteRecord(pool, orders, 1)).resolves.toBe(true)
  expect(await editRecords(pool, customers, null, { ids: [1, 2] }, { terms: 'prepaid' })).toBe(1)
  const people = await tableOf('employees')
  const person = await createRecord(pool, people, { full_name: 'Ida', email: 'ida@wholesale.example', hired: '2026-07-01T08:00:00Z' })
  // a moment without a zone is the organisation's, which is London: summer time
  expect(await one(pool, 'select hired::text from wholesale.employee where id = $1', [person.id])).toEqual({ hired: '2026-07-01 09:00:00' })
  expect(person.hired).toBe('2026-07-01T08:00:00+00:00')
})

test('an index is used through the name here', async () => {
  await attachAll()
  await theirs.as.query(`insert into "order" (customer, net) select 1, n from generate_series(1, 5000) n; analyze "order"`)
  const plan = (await many<{ 'QUERY PLAN': string }>(pool, 'explain select to_jsonb(t.*) from data.orders t where t.id = 4711')).map((r) => r['QUERY PLAN']).join('\n')
  expect(plan).toMatch(/Index Scan using order_pkey/)
  const linked = (await many<{ 'QUERY PLAN': string }>(pool, 'explain select count(*) from data.orders t where t.customer = 2')).map((r) => r['QUERY PLAN']).join('\n')
  expect(linked).toMatch(/order_customer_idx/)
})

test('every statement of the other program is recorded: rows, bulk, keys that change, truncating, partitions', async () => {
  await attachAll()
  await theirs.as.query(`update "order" set state = 'picked', net = 121 where order_no = 1`)
  await theirs.as.query(`insert into "Customer" ("CompanyName", "Tags") values ('Third', '{a,b}')`)
  const [order] = await changes('orders')
  expect(order).toMatchObject({ rec: 1, kind: 'changed', before: { state: 'placed', net: 120, gross: 144 }, by: { kind: 'system', name: expect.any(String) } })
  expect([order?.changed.sort(), order?.after]).toEqual([['gross', 'net', 'state'], expect.objectContaining({ state: 'picked', net: 121, gross: 145.2, customer: 1 })])
  expect(await changes('customers')).toMatchObject([{ rec: 3, kind: 'created', after: { company_name: 'Third', tags: '{a,b}', is_active: true } }])
  await theirs.as.query(`insert into scan (id, parcel) select n, 'P' || n from generate_series(900, 1100) n`)
  await theirs.as.query(`insert into scan_2 (id, parcel) values (1500, 'straight into a partition')`)
  await theirs.as.query(`update scan set id = 1200, place = 'Hall 2' where id = 999`)
  await theirs.as.query('truncate scan_1')
  await theirs.as.query('truncate scan')
  const kinds = new Map<string, number>()
  for (const { kind } of await changes('scans')) kinds.set(kind, (kinds.get(kind) ?? 0) + 1)
  expect(Object.fromEntries(kinds)).toEqual({ created: 201 + 1 + 1, deleted: 1 + 99 + (101 + 1 + 1) })
  await theirs.as.query(`update region set code = 'NN' where code = 'S' and false`)
  await theirs.as.query(`insert into region values ('W', 'West'); update region set code = 'WW' where code = 'W'`)
  expect((await changes('regions')).map((c) => [c.rec, c.kind])).toEqual([
    ['W', 'created'],
    ['W', 'deleted'],
    ['WW', 'created'],
  ])
})

test('numbers and days that fields do not know are blank, and stop nobody', async () => {
  await attachAll()
  await theirs.as.query(`update "order" set discount = 'NaN', ship_by = 'infinity', placed_on = '0044-03-15 BC' where order_no = 1`)
  await theirs.as.query(`update "order" set discount = 'Infinity', ship_by = '2026-01-01', placed_on = '20260-01-01' where order_no = 1`)
  expect(await readRecord(pool, await tableOf('orders'), 1)).toMatchObject({ discount: null, ship_by: '2026-01-01', placed_on: null })
  expect((await changes('orders')).map((c) => c.changed)).toEqual([['ship_by']])
  expect(await one(pool, 'select count(*)::int as n from rappel.unlogged')).toEqual({ n: 0 })
})

test('nothing of another program’s waits for a table or is refused: columns are dropped and retyped while it is attached', async () => {
  await attachAll()
  await theirs.as.query(`alter table "order" drop column note; alter table "order" alter column discount type numeric; alter table "Customer" rename to "Client"`)
  await theirs.as.query(`update "order" set net = 1 where order_no = 1`)
  expect(await many(pool, 'select tbl, op, error from rappel.unlogged')).toEqual([{ tbl: 'orders', op: 'UPDATE', error: 'Its columns are not those that were looked at.' }])
})

test('what is recorded as a text is written as it is read, whatever the settings of the session that writes', async () => {
  await theirs.as.query(`create table booking (id int primary key, at tstzrange, lasts interval, on_days date[], weights float8[])`)
  await theirs.grant(`grant select, trigger on wholesale.booking to ${new URL(db.url).username}`)
  await attachTable(pool, 'bookings', { schema: 'wholesale', table: 'booking' })
  const client = await theirs.as.connect()
  await client.query(`set timezone = 'Asia/Tokyo'; set datestyle = 'German, DMY'; set intervalstyle = 'sql_standard'; set extra_float_digits = -12`)
  await client.query(`insert into booking values (1, '[2026-03-01 10:00Z, 2026-03-02 10:00Z)', '1 month 2 days', '{2026-03-04}', '{0.1, 12345.678901234}')`)
  await client.query('reset all')
  client.release()
  const [recorded] = await changes('bookings')
  const read = await one<{ image: Record<string, unknown> }>(pool, 'select to_jsonb(b) as image from data.bookings b')
  const { at, lasts, on_days, weights } = read.image
  expect(recorded?.after).toMatchObject({ at, lasts, on_days, weights })
  expect({ at, lasts, on_days, weights }).toEqual({
    at: '["2026-03-01 10:00:00+00","2026-03-02 10:00:00+00")',
    lasts: '1 mon 2 days',
    on_days: '{2026-03-04}',
    weights: '{0.1,12345.678901234}',
  })
})

test('its own triggers find what they name without a schema where the database looks, also when Rappel writes', async () => {
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  await theirs.as.query(`create function note_region() returns trigger language plpgsql security definer as $$ begin insert into journal (what) values (new.code || ' is ' || new.title); return null; end $$;
    create trigger note_region after insert or update on region for each row execute function note_region();
    create function late_region() returns trigger language plpgsql security definer as $$ begin insert into journal (what) values ('late ' || new.code); return null; end $$;
    create constraint trigger late_region after insert on region deferrable initially deferred for each row execute function late_region()`)
  const { name } = await one<{ name: string }>(pool, 'select current_database() as name')
  await pool.query(`alter database ${name} set search_path = wholesale, public`)
  await pool.query(`alter role current_user in database ${name} set search_path = pg_catalog, pg_temp`) // as behind a pooler
  const fresh = createPool(db.url)
  try {
    const regions = (await readSchema(fresh)).get('regions') as TableDef
    await createRecord(fresh, regions, { id: 'W', title: 'West' })
    await updateRecord(fresh, regions, 'W', { title: 'Western' })
    expect((await many<{ what: string }>(fresh, 'select what from wholesale.journal order by id')).map((j) => j.what)).toEqual(['W is West', 'late W', 'W is Western'])
    expect(await one(fresh, 'show search_path')).toEqual({ search_path: 'pg_catalog,pg_temp' })
  } finally {
    await fresh.end()
  }
})

test('one that was attached while its schema was looked in is read from wherever it is asked for', async () => {
  await theirs.grant('reset role')
  await theirs.grant(
    `create table public.parcel (id int primary key, label text); grant select, trigger on public.parcel to ${new URL(db.url).username}; insert into public.parcel values (1, 'P1')`,
  )
  await attachTable(pool, 'parcels', { schema: 'public', table: 'parcel' })
  const read = () => one(pool, 'select label from data.parcels')
  expect(await read()).toEqual({ label: 'P1' })
  const client = await pool.connect()
  await client.query(`set search_path = public; select rappel.define_reading('parcels'); reset search_path`) // as versions before did
  client.release()
  await expect(read()).rejects.toThrow(/"parcel" does not exist/)
  await pool.query(`select rappel.qualify_reading('parcels')`)
  expect(await read()).toEqual({ label: 'P1' })
})

test('detached, a table is as it was, but for nothing', async () => {
  const before = await many(pool, `select tgname from pg_trigger where not tgisinternal and tgrelid::regclass::text like 'wholesale.%' order by 1`)
  await attachAll()
  for (const name of ['orders', 'customers', 'scans']) expect((await removeTable(pool, name, true)).done).toBe(true)
  expect((await fieldsOf('deliveries')).order_no).toBe('number')
  for (const name of ['deliveries', 'employees', 'regions', 'journal', 'items']) await removeTable(pool, name, true)
  expect(await many(pool, `select tgname from pg_trigger where not tgisinternal and tgrelid::regclass::text like 'wholesale.%' order by 1`)).toEqual(before)
  await theirs.as.query(`update "order" set state = 'picked'; drop table delivery`)
  expect(await one(pool, 'select count(*)::int as n from wholesale."order"')).toEqual({ n: 2 })
  expect((await readSchema(pool)).size).toBe(1)
  expect(await changes('orders')).toEqual([])
})
