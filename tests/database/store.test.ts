import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import type { TableDef } from '@/core/values/tables'
import { createFirstAdministrator } from '@/store/access/first-administrator'
import { checkPassword, closeSession, createToken, openSession, readToken, sessionPerson, setPassword } from '@/store/access/sessions'
import { many, maybeOne, one, parseJson, quote, transaction } from '@/store/database'
import { findAnything, findWhy } from '@/store/find'
import { migrate } from '@/store/migrate'
import { listGroups, putGroup, putPerson, readGroup } from '@/store/people'
import { Refused } from '@/store/problems'
import { createRecord, deleteRecord, editRecords, listRecords, relatedLists, updateRecord } from '@/store/records'
import { checkTable, putTable, readSchema } from '@/store/tables'
import { deleteWorkflow, pauseWorkflow, putLive, readWorkflowRow, resumeWorkflow, saveDraft } from '@/store/workflows'
import { CLAIMS, INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { ORGANISATION } from '../support/core'
import { freshDatabase } from '../support/database'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let people: { ines: number; rafi: number }
beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  people = await makeClaims(pool)
})
afterAll(() => db.drop())

const setting = async () => ({ schema: await readSchema(pool), organisation: ORGANISATION, people: new Map([[INES, people.ines]]) })

test('identifiers are quoted, numbers beyond 15 digits stay as text', () => {
  expect(quote('a"b; drop')).toBe('"a""b; drop"')
  expect(parseJson('{"a":1.5,"b":12345678901234567890,"c":"1234567890123456"}')).toEqual({ a: 1.5, b: '12345678901234567890', c: '1234567890123456' })
})

test('a helper’s name says how many rows it finds', async () => {
  expect(await maybeOne(pool, 'select 1 where false')).toBeNull()
  await expect(one(pool, 'select 1 where false')).rejects.toThrow('exactly one')
  await expect(maybeOne(pool, 'select generate_series(1, 2)')).rejects.toThrow('at most one')
})

test('a database that newer code has migrated is refused', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'rappel-migrations-'))
  await writeFile(join(folder, '001_first.sql'), 'select 1')
  await expect(migrate(pool, folder)).rejects.toThrow('this version of Rappel knows only 1')
  await rm(folder, { recursive: true })
  expect(await migrate(pool)).toBe(0)
})

test('a table’s definition is checked whole', async () => {
  const faulty: TableDef = {
    name: 'Boats',
    label: ' ',
    singular: 'record',
    titleField: 'name',
    ownerField: 'note',
    fields: [
      { name: 'note', label: 'Note', type: 'text' },
      { name: 'note', label: '', type: 'choice' },
      { name: 'id', label: 'Id', type: 'text', number: 'X-0' },
      { name: 'at', label: 'At', type: 'number', default: 'many' },
      { name: 'to', label: 'To', type: 'link', table: 'nowhere' },
    ],
  }
  expect(
    checkTable(faulty, await readSchema(pool))
      .map((p) => p.path)
      .sort(),
  ).toEqual([
    '/fields/1/choices',
    '/fields/1/label',
    '/fields/1/name',
    '/fields/2/name',
    '/fields/2/number',
    '/fields/3/default',
    '/fields/4/table',
    '/label',
    '/name',
    '/ownerField',
    '/singular',
    '/titleField',
  ])
})

test('a field keeps its kind of values, and gets a label, choices or a default by being put again', async () => {
  await expect(putTable(pool, { ...CLAIMS, fields: [{ name: 'amount', label: 'Amount', type: 'date' }] })).rejects.toThrow(Refused)
  await putTable(pool, { ...CLAIMS, fields: CLAIMS.fields.map((f) => (f.name === 'status' ? { ...f, choices: [...(f.choices ?? []), 'Closed'], default: 'In review' } : f)) })
  const { status } = await createRecord(pool, CLAIMS, {})
  expect(status).toBe('In review')
})

test('records are created, changed, listed by condition and order, edited together and deleted', async () => {
  const made = await Promise.all([30, 10, 20].map((amount) => createRecord(pool, CLAIMS, { amount, note: 'listed', owner: people.ines })))
  const where = { all: [{ field: 'note', op: 'is' as const, value: 'LISTED' }] }
  const amounts = async (order: string) => (await listRecords(pool, CLAIMS, await setting(), { where, order, limit: 10 })).map((r) => r.amount)
  expect([await amounts('amount'), await amounts('-amount')]).toEqual([
    [10, 20, 30],
    [30, 20, 10],
  ])
  expect(await editRecords(pool, CLAIMS, await setting(), { where }, { amount: 5 })).toBe(3)
  expect((await updateRecord(pool, CLAIMS, Number(made[0]?.id), { amount: 6 }))?.amount).toBe(6)
  expect(await updateRecord(pool, CLAIMS, 999_999, { amount: 6 })).toBeNull()
  expect(await deleteRecord(pool, CLAIMS, Number(made[0]?.id))).toBe(true)
  expect(await deleteRecord(pool, CLAIMS, 999_999)).toBe(false)
  await expect(listRecords(pool, CLAIMS, await setting(), { order: 'shoe', limit: 1 })).rejects.toThrow('no field')
  await expect(createRecord(pool, CLAIMS, { owner: 999_999 })).rejects.toMatchObject({ code: 'invalid', problems: [{ code: 'no such record', path: '/owner' }] })
})

test('a record that required links point at is not deleted, and related lists count', async () => {
  await putTable(pool, {
    name: 'notes',
    label: 'Notes',
    singular: 'remark',
    titleField: 'text',
    fields: [
      { name: 'text', label: 'Text', type: 'text' },
      { name: 'claim', label: 'Claim', type: 'link', table: 'claims', required: true },
    ],
  })
  const schema = await readSchema(pool)
  const claim = await createRecord(pool, CLAIMS, {})
  await createRecord(pool, { name: 'notes' }, { text: 'a', claim: claim.id as number })
  await expect(deleteRecord(pool, CLAIMS, Number(claim.id))).rejects.toMatchObject({ code: 'conflict', message: expect.stringContaining('still point at this one') })
  const [list] = await relatedLists(pool, schema, schema.get('claims') as TableDef, Number(claim.id), 5)
  expect([list?.table.name, list?.field, list?.count]).toEqual(['notes', 'claim', 1])
})

test('things are found by the words in their names, wildcards being letters like any others', async () => {
  await createRecord(pool, CLAIMS, { number: '100%_sure' })
  const finder = { keeper: null, templates: true, people: true, messages: true }
  expect((await findAnything(pool, '0%_s', finder)).map((f) => f.title)).toEqual(['100%_sure'])
  expect(await findAnything(pool, '%%%', finder)).toEqual([])
  expect((await findAnything(pool, 'okafor', finder)).map((f) => [f.kind, f.title])).toEqual([['person', `Ines Okafor, ${INES}`]])
  expect(await findAnything(pool, 'okafor', { ...finder, people: false })).toEqual([])
})

test('a question why finds the changes of the record it names, newest first', async () => {
  const { id } = await createRecord(pool, CLAIMS, { number: 'CL-2041' })
  await pool.query(`update data.claims set status = 'Settled' where id = $1`, [id])
  const found = await findWhy(pool, 'CL-2041')
  expect(found.map((f) => [f.kind, f.title.split(' by ')[0]])).toEqual([
    ['why', 'CL-2041, changed'],
    ['why', 'CL-2041, created'],
  ])
  expect((await findWhy(pool, 'claim CL-2041 today')).map((f) => f.href)).toEqual(found.map((f) => f.href))
  expect(await findWhy(pool, 'nothing of the kind')).toEqual([])
})

test('people and groups', async () => {
  await putPerson(pool, 'NEW@office.example', { first_name: 'New', last_name: 'Person', manager: INES })
  const changed = await putPerson(pool, 'new@office.example', { phone: '1' })
  expect(changed).toMatchObject({ name: 'New Person', manager: people.ines, phone: '1', email: 'NEW@office.example' })
  await expect(putPerson(pool, 'x@office.example', { manager: 'nobody@office.example' })).rejects.toThrow('Nobody here')
  await putGroup(pool, 'Desk', [INES, 'new@office.example'], ['desk@office.example'])
  await putGroup(pool, 'Desk', ['new@office.example'], [])
  expect((await listGroups(pool)).find((g) => g.name === 'Desk')).toEqual({ name: 'Desk', people: ['NEW@office.example'], addresses: [], active: 1 })
  expect(await readGroup(pool, 'No such')).toBeNull()
})

test('passwords, sessions and tokens are kept as hashes and end when they should', async () => {
  await setPassword(pool, people.ines, 'a good password')
  expect([
    (await checkPassword(pool, INES.toUpperCase(), 'a good password'))?.id,
    await checkPassword(pool, INES, 'wrong'),
    await checkPassword(pool, 'nobody@x.example', 'wrong'),
  ]).toEqual([people.ines, null, null])
  const { token } = await openSession(pool, people.ines, { way: 'password', agent: 'a browser', caller: '192.0.2.1' })
  expect((await sessionPerson(pool, token))?.id).toBe(people.ines)
  await closeSession(pool, token)
  expect(await sessionPerson(pool, token)).toBeNull()
  const bearer = await createToken(pool, 'machine', null, 'editor')
  expect(await readToken(pool, bearer)).toMatchObject({ name: 'machine', role: 'editor', person: null })
  const stored = JSON.stringify(await many(pool, 'select token_hash::text from rappel.api_token union all select password_hash from rappel.person where password_hash is not null'))
  expect([stored.includes(bearer), stored.includes('a good password')]).toEqual([false, false])
  await pool.query('update rappel.api_token set revoked_at = now()')
  expect(await readToken(pool, bearer)).toBeNull()
})

test('the first administrator is created once, however many try at once', async () => {
  const given = { name: 'Ada Min', email: 'ada@office.example', password: 'long enough', organisation: 'Office' }
  const created = await Promise.all([1, 2, 3].map((n) => createFirstAdministrator(pool, { ...given, email: `ada${n}@office.example` })))
  expect(created.filter(Boolean)).toHaveLength(1)
})

test('a workflow is renamed by its draft, keeps its live version, and is not overwritten by another’s name', async () => {
  await saveDraft(pool, 'A', newClaimWorkflow({ name: 'A' }), null)
  await saveDraft(pool, 'B', newClaimWorkflow({ name: 'B' }), null)
  await putLive(pool, 'A', null)
  await saveDraft(pool, 'A', newClaimWorkflow({ name: 'A2', note: 'edited' }), null)
  expect(await readWorkflowRow(pool, 'A2')).toMatchObject({ state: 'live', version: 1, draft: { note: 'edited' }, live: { name: 'A' } })
  await expect(saveDraft(pool, 'A2', newClaimWorkflow({ name: 'B' }), null)).rejects.toThrow('already')
  await expect(resumeWorkflow(pool, 'A2')).rejects.toThrow('Only a paused workflow')
  await pauseWorkflow(pool, 'A2')
  await resumeWorkflow(pool, 'A2')
  expect((await readWorkflowRow(pool, 'A2'))?.version).toBe(1)
  await expect(putLive(pool, 'No such', null)).rejects.toThrow('no workflow called')
  expect([await deleteWorkflow(pool, 'A2'), await deleteWorkflow(pool, 'A2')]).toEqual([true, false])
})

test('a connection that breaks between two queries of a transaction fails the transaction, not the process', async () => {
  const work = transaction(pool, async (tx) => {
    const [row] = await many<{ pid: number }>(tx, 'select pg_backend_pid() as pid')
    await pool.query('select pg_terminate_backend($1)', [row?.pid])
    await new Promise((resolve) => setTimeout(resolve, 200))
    await tx.query('select 1')
  })
  await expect(work).rejects.toThrow()
  expect(await many(pool, 'select 1 as one')).toEqual([{ one: 1 }])
})

test('tables whose long names are alike but for the end each have their own log; longer names are refused', async () => {
  const table = (name: string) => ({ name, label: name, singular: 'thing', titleField: 'title', fields: [{ name: 'title', label: 'Title', type: 'text' as const, unique: true }] })
  const [one, two] = [`${'a'.repeat(54)}1`, `${'a'.repeat(54)}2`]
  await putTable(pool, table(one))
  await putTable(pool, table(two))
  for (const name of [one, two]) await pool.query(`insert into data.${name} (title) values ('in ${name.at(-1)}')`)
  const logged = await many<{ tbl: string; title: string }>(pool, `select tbl, after ->> 'title' as title from rappel.change where tbl = any($1) order by id`, [[one, two]])
  expect(logged).toEqual([
    { tbl: one, title: 'in 1' },
    { tbl: two, title: 'in 2' },
  ])
  await expect(pool.query(`insert into data.${two} (title) values ('IN 2')`)).rejects.toThrow('unique')
  await expect(putTable(pool, table(`${'a'.repeat(55)}1`))).rejects.toMatchObject({ problems: [{ path: '/name' }] })
})
