import type { TableDef } from '@/core/values/tables'
import { attachTable } from '@/store/attach/attach'
import { many, one, transaction } from '@/store/database'
import { renameField } from '@/store/design/rename'
import { putPerson } from '@/store/people'
import { erasePersonal } from '@/store/personal/erase'
import { readPersonal } from '@/store/personal/find'
import { dropOldOccasions } from '@/store/retention'
import { putTable, readSchema } from '@/store/tables'
import { freshDatabase } from '../support/database'
import { whereStands } from '../support/stands'

/** Somebody is erased wherever their address, name or number can stand; what is of others, or is set up by people, stays and is named. */

const WHO = 'kunde+1@else.example'

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
})
afterEach(() => db.drop())

const erase = async (address: string, everywhere: boolean) => transaction(db.pool, async (tx) => erasePersonal(tx, await readSchema(tx), address, everywhere))

const email = (name: string, more: Partial<TableDef['fields'][number]> = {}) => ({ name, label: name, type: 'email' as const, ...more })

/** Every kind of field that can hold an address. */
const CONTACTS: TableDef = {
  name: 'contacts',
  label: 'Contacts',
  singular: 'contact',
  titleField: 'title',
  fields: [
    { name: 'title', label: 'Title', type: 'text' },
    email('plain'),
    email('several'),
    email('required_one', { required: true }),
    email('only_one', { required: true, unique: true }),
    { name: 'note', label: 'Note', type: 'long text' },
    { name: 'path', label: 'Path', type: 'folder' },
    { name: 'amount', label: 'Amount', type: 'number' },
  ],
}

test('fields that hold an address are emptied, or hold one that nobody has where they must hold something, with their past, under whatever name', async () => {
  await putTable(db.pool, CONTACTS)
  const insert = (title: string, a: string, n: number) =>
    db.pool.query(`insert into data.contacts (title, plain, several, required_one, only_one, note, path, amount) values ($1, $2, $3, $2, $4, $5, $6, 1)`, [
      title,
      a,
      `ann@x.example, ${a}, bob@x.example`,
      n ? `${n}@x.example` : a,
      `Wrote to ${a.toUpperCase()} and to gross${a}.`,
      `Mail/${a}/2026`,
    ])
  await insert(`About ${WHO}`, WHO, 0)
  await insert('Another', 'other@else.example', 1)
  await db.pool.query(`update data.contacts set note = note || ' Twice.'`)
  await renameField(db.pool, { table: 'contacts', from: 'plain', to: 'first_mail', label: 'First mail' }, true, null)
  await db.pool.query(`update data.contacts set amount = 2`)
  const found = await readPersonal(db.pool, await readSchema(db.pool), WHO)
  expect(found.records.map((r) => [r.table, r.record, r.field]).sort()).toEqual(
    ['first_mail', 'note', 'only_one', 'path', 'required_one', 'several', 'title'].map((field) => ['contacts', 1, field]),
  )
  expect(await erase(WHO, false)).toMatchObject({ records: 0 })
  expect((await readPersonal(db.pool, await readSchema(db.pool), WHO)).records).toHaveLength(7)
  expect(await erase(WHO, true)).toEqual({ messages: 0, others: 0, records: 7, person: false, left: [] })
  const [one, other] = await many<Record<string, string>>(db.pool, 'select * from data.contacts order by id')
  expect(one).toMatchObject({
    title: 'About erased@erased.invalid',
    first_mail: null,
    several: 'ann@x.example, erased@erased.invalid, bob@x.example',
    required_one: 'erased@erased.invalid',
    only_one: expect.stringMatching(/^erased-[0-9a-f]{12}@erased\.invalid$/),
    note: `Wrote to erased@erased.invalid and to gross${WHO}. Twice.`,
    path: 'Mail/erased@erased.invalid/2026',
  })
  expect(other).toMatchObject({ first_mail: 'other@else.example', several: 'ann@x.example, other@else.example, bob@x.example', only_one: '1@x.example' })
  expect(await whereStands(db.pool, WHO)).toEqual(await whereStands(db.pool, `gross${WHO}`)) // that of somebody else alone
  expect(await whereStands(db.pool, ` ${WHO}`)).toEqual([])
})

test('two of whom each value must be another are erased one after the other', async () => {
  await putTable(db.pool, CONTACTS)
  for (const a of ['a@else.example', 'b@else.example']) await db.pool.query('insert into data.contacts (required_one, only_one) values ($1, $1)', [a])
  for (const a of ['a@else.example', 'b@else.example']) expect(await erase(a, true)).toMatchObject({ records: 2, left: [] })
  expect(await whereStands(db.pool, '@else.example')).toEqual([])
})

test('what cannot be changed is left and said: a key, a table that may only be read; the rest is erased', async () => {
  await db.pool.query(`
    create schema books;
    create table books.clients (id int primary key, mail text);
    create table books.tickets (id int primary key, short varchar(20), words text);
    insert into books.clients values (1, '${WHO}');
    insert into books.tickets values (1, '${WHO}', 'From ${WHO}'), (2, 'a text', '')`)
  await db.pool.query('revoke update on books.clients from current_user')
  for (const table of ['clients', 'tickets']) await attachTable(db.pool, table, { schema: 'books', table })
  await putTable(db.pool, { ...CONTACTS, name: 'mailboxes', label: 'Mailboxes', singular: 'mailbox', key: 'text' })
  await db.pool.query(`insert into data.mailboxes (id, required_one, only_one, note) values ($1, 'r@x.example', 'o@x.example', $1)`, [WHO])
  const erased = await erase(WHO, true)
  expect(erased.records).toBe(1)
  expect([...erased.left].sort()).toEqual([
    'Clients: 1 field that holds it could not be changed: Rappel may only read this table. Ask its owner.',
    'Mailboxes: the key of a record is the address, or has it. Delete the record.',
    'Tickets: 2 fields that hold it could not be changed: A text is too long for where it is kept, which takes 20 characters. Make it shorter.',
  ])
  expect(await one(db.pool, 'select note from data.mailboxes')).toEqual({ note: 'erased@erased.invalid' })
  expect(await one(db.pool, 'select count(*) as logged from rappel_change.mailboxes')).toEqual({ logged: 2 })
})

test('the log of what was done says it no more: runs of others, waits, presses, crossings, notices, replies, who did what, limits', async () => {
  const ines = await putPerson(db.pool, 'es@office.example', { name: 'Ines Okafor', phone: '0123 456', role: 'editor' })
  await putPerson(db.pool, 'ines@office.example', { name: 'Ines Okafors' })
  const by = JSON.stringify({ kind: 'person', person: ines.id, name: 'Ines Okafor' })
  await db.pool.query(`
    insert into rappel.workflow (name, draft, draft_saved_at) values ('W', '{"rappel": "workflow/1", "name": "W"}', now());
    insert into rappel.run (workflow, version, change_id, tbl, rec, title, state, why, error, trace, at, changed_at, kind, key)
      values (1, 1, null, 't', '1', 'For es@office.example', 'failed', 'why', 'no mail to es@office.example', '{"to": ["ines@office.example", "es@office.example"], "by": "Ines Okafor"}', now(), now(), 'tick', 'k');
    insert into rappel.stay (workflow, version, key, tbl, rec, title, by, since, due_at, shard) values (1, 1, 'k', 't', '1', 'es@office.example', '${by}', now(), now(), 0);
    insert into rappel.press (id, workflow, version, by, asked, records, at) values (gen_random_uuid(), 1, 1, '${by}', '{"reason": "Ask ines okafor (0123 456)"}', '[]', now());
    insert into rappel.notice (run, workflow, title, body, state, next_at, created_at) values (1, 1, 'es@office.example', 'Ines Okafor', 'sent', now(), now());
    insert into rappel.passed (workflow, key, at, run) values (1, '["recipient","es@office.example"]', now(), '1'), (1, '["recipient","ines@office.example"]', now(), '1')`)
  await db.pool.query(`select rappel.note('tried', 'es@office.example', '{"name": "Ines Okafor", "to": "ines@office.example", "es": 1}')`)
  expect(await erase('es@office.example', false)).toMatchObject({ person: true, left: [] })
  for (const said of ['"es@office', ' es@office', 'Ines Okafor"', 'okafor (', '0123 456']) expect([said, await whereStands(db.pool, said)]).toEqual([said, []])
  expect(await one(db.pool, 'select title, error, trace from rappel.run')).toEqual({
    title: 'For erased@erased.invalid',
    error: 'no mail to erased@erased.invalid',
    trace: { to: ['ines@office.example', 'erased@erased.invalid'], by: 'Erased' },
  })
  expect(await one(db.pool, 'select s.by as stay, p.by as press, p.asked from rappel.stay s, rappel.press p')).toEqual({
    stay: { kind: 'person', person: ines.id, name: 'Erased' },
    press: { kind: 'person', person: ines.id, name: 'Erased' },
    asked: { reason: 'Ask Erased (Erased)' },
  })
  expect(await many(db.pool, 'select key from rappel.passed')).toEqual([{ key: '["recipient","ines@office.example"]' }])
  expect(await one(db.pool, `select subject, details from rappel.audit where what = 'tried'`)).toEqual({
    subject: 'erased@erased.invalid',
    details: { name: 'Erased', to: 'ines@office.example', es: 1 },
  })
  expect(await one(db.pool, `select name from rappel.person where email = 'ines@office.example'`)).toEqual({ name: 'Ines Okafors' })
})

test('a name that is the beginning of much changes nothing else of the audit log', async () => {
  await putPerson(db.pool, 'e@office.example', { name: 'e', phone: '1' })
  await putPerson(db.pool, 'rafi@office.example', { name: 'Rafi Demir', phone: '0111' })
  const before = await many<{ id: number; details: object }>(db.pool, `select id, details from rappel.audit where subject = 'rafi@office.example' order by id`)
  expect(await erase('e@office.example', false)).toMatchObject({ person: true })
  expect(await many(db.pool, `select id, details from rappel.audit where subject = 'rafi@office.example' order by id`)).toEqual(before)
})

test('what is set up with an address is named, and stays', async () => {
  await db.pool.query(`insert into rappel.workflow (name, draft, draft_saved_at) values ('Tell them', $1, now()), ('Another', '{"to": "gross${WHO}"}', now())`, [
    JSON.stringify({ actions: [{ to: [{ address: WHO.toUpperCase() }] }] }),
  ])
  expect(await readPersonal(db.pool, await readSchema(db.pool), WHO)).toMatchObject({ named: [{ what: 'workflow', name: 'Tell them' }] })
  expect(await erase(WHO, true)).toMatchObject({ left: ['The workflow Tell them names it, and does so until it is changed.'] })
})

test('waits, moments, presses and crossings that are over go with the runs that they brought about; open waits stay', async () => {
  await db.pool.query(`
    insert into rappel.workflow (name, draft, draft_saved_at) values ('W', '{}', now());
    insert into rappel.stay (workflow, version, key, tbl, rec, title, by, since, due_at, shard, outcome, ended_at)
      select 1, 1, 'old ' || i, 't', '1', 'T', '{}', now() - interval '3 years', now(), 0, 'fired', now() - interval '25 months' from generate_series(1, 4500) i;
    insert into rappel.stay (workflow, version, key, tbl, rec, title, by, since, due_at, shard, outcome, ended_at) values
      (1, 1, 'open', 't', '1', 'T', '{}', now() - interval '3 years', now(), 0, null, null), (1, 1, 'young', 't', '1', 'T', '{}', now() - interval '3 years', now(), 0, 'fired', now() - interval '23 months');
    insert into rappel.press (id, workflow, version, by, asked, records, at) select gen_random_uuid(), 1, 1, '{}', '{}', '[]', now() - make_interval(months => m) from unnest(array[23, 25]) m;
    insert into rappel.tick (workflow, version, at, before_at, late, started_at, done_at) values
      (1, 1, now() - interval '25 months', now(), false, now(), now() - interval '25 months'), (1, 1, now() - interval '26 months', now(), false, now(), null)`)
  expect(await dropOldOccasions(db.pool, 24)).toBe(4_502)
  expect(await many(db.pool, 'select key from rappel.stay order by id')).toEqual([{ key: 'open' }, { key: 'young' }])
  expect(await one(db.pool, 'select (select count(*)::int from rappel.press) as presses, (select count(*)::int from rappel.tick where done_at is null) as ticks')).toEqual({
    presses: 1,
    ticks: 1,
  })
})
