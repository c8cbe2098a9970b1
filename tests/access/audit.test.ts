import { listAudit, listDeeds, noteDeed } from '@/store/access/audit'
import { createToken, setPassword } from '@/store/access/sessions'
import { revokeToken } from '@/store/access/tokens'
import { many, onBehalfOf, transaction } from '@/store/database'
import { putChannel, removeChannel } from '@/store/notices'
import { deactivatePerson, putGroup, putPerson } from '@/store/people'
import { writeSettings } from '@/store/settings'
import { putTable } from '@/store/tables'
import { putSender, putTemplate, removeSender } from '@/store/templates'
import { deleteWorkflow, pauseWorkflow, putLive, resumeWorkflow, saveDraft } from '@/store/workflows'
import { CLAIMS, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'

let database: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  database = await freshDatabase()
})
afterEach(() => database.drop())

const ADA = { kind: 'person' as const, person: 1, name: 'Ada Min' }
const asAda = <T>(work: () => Promise<T>) => onBehalfOf({ by: ADA, caller: '192.0.2.1' }, work)
const inOne = <T>(work: (db: Parameters<Parameters<typeof transaction<T>>[1]>[0]) => Promise<T>) => asAda(() => transaction(database.pool, work))
const lines = async () => (await listAudit(database.pool, { zone: 'UTC', limit: 1_000 })).reverse()

test('every deed stands there with who did it, from where, and what changed', async () => {
  const { pool } = database
  await inOne((db) => putPerson(db, 'kim@office.example', { name: 'Kim', role: 'member' }))
  await inOne((db) => putPerson(db, 'kim@office.example', { role: 'editor' }))
  const person = (await many<{ id: number }>(pool, `select id from rappel.person where email = 'kim@office.example'`))[0]?.id as number
  await inOne((db) => setPassword(db, person, 'two blue kettles'))
  const token = await inOne((db) => createToken(db, 'import', person, 'editor'))
  await inOne((db) => putGroup(db, 'Desk', ['kim@office.example'], ['desk@office.example']))
  await inOne((db) => putGroup(db, 'Desk', [], ['desk@office.example']))
  await inOne((db) => writeSettings(db, { currency: 'EUR' }))
  await asAda(() => putTable(pool, CLAIMS))
  await inOne((db) => putTemplate(db, { name: 'Late', table: CLAIMS.name, subject: 'S', body: 'B', format: 'plain', priority: 'normal' }, null))
  await inOne((db) => putSender(db, { name: 'Quay', display: 'Quay', address: 'quay@office.example' }))
  await inOne((db) => removeSender(db, 'Quay'))
  await inOne((db) => putChannel(db, 'Board', 'https://board.example/', 'a secret of the board'))
  await inOne((db) => removeChannel(db, 'Board'))
  await inOne((db) => saveDraft(db, 'W', newClaimWorkflow({ name: 'W' }), null))
  await inOne((db) => saveDraft(db, 'W', newClaimWorkflow({ name: 'W', note: 'a draft is no deed' }), null))
  await asAda(() => putLive(pool, 'W', null))
  await asAda(() => pauseWorkflow(pool, 'W'))
  await asAda(() => resumeWorkflow(pool, 'W'))
  await inOne((db) => saveDraft(db, 'W', newClaimWorkflow({ name: 'W2' }), null))
  await asAda(() => deleteWorkflow(pool, 'W2'))
  await inOne((db) => revokeToken(db, 1))
  await asAda(() => deactivatePerson(pool, 'kim@office.example', null))
  const all = await lines()
  expect(all.filter((l) => l.what !== 'field made').map((l) => `${l.what}: ${l.subject}`)).toEqual([
    'person made: kim@office.example',
    'person changed: kim@office.example',
    'person changed: kim@office.example',
    'token made: import',
    'group made: Desk',
    'group changed: Desk',
    'group changed: Desk',
    'settings changed: organisation',
    'table made: claims',
    'template made: Late',
    'sender identity made: Quay',
    'sender identity removed: Quay',
    'channel made: Board',
    'channel removed: Board',
    'workflow made: W',
    'workflow put live: W',
    'workflow paused: W',
    'workflow resumed: W',
    'workflow renamed: W2',
    'workflow removed: W2',
    'token ended: import',
    'person changed: kim@office.example',
  ])
  expect(all.every((l) => l.by.name === 'Ada Min' && l.caller === '192.0.2.1')).toBe(true)
  expect(all[1]?.details).toEqual({ role: { from: 'member', to: 'editor' } })
  expect(all[2]?.details).toEqual({ password_hash: { from: null, to: '(not shown)' } })
  expect(all.find((l) => l.what === 'settings changed')?.details).toEqual({ currency: { from: null, to: 'EUR' } })
  expect(all.at(-1)?.details).toEqual({ active: { from: true, to: false } })
  const text = JSON.stringify(all)
  for (const secret of ['two blue kettles', token, 'a secret of the board', 'argon2']) expect(text).not.toContain(secret)
})

test('nothing in it is altered or taken out, by whatever statement', async () => {
  await noteDeed(database.pool, { by: ADA, caller: null, what: 'signed in', subject: 'ada@office.example' })
  for (const statement of [`update rappel.audit set what = 'x'`, 'delete from rappel.audit', 'truncate rappel.audit'])
    await expect(database.pool.query(statement)).rejects.toThrow('only added to')
  expect(await lines()).toHaveLength(1)
})

test('a deed by a program that writes to the database itself is noted under its database user', async () => {
  await database.pool.query(`insert into rappel.sender (name, display, address) values ('X', 'X', 'x@office.example')`)
  expect((await lines())[0]).toMatchObject({ by: { kind: 'system', name: 'rappel' }, caller: null, what: 'sender identity made' })
})

test('a deed that is rolled back is not noted; a long value is noted by its beginning', async () => {
  await expect(
    inOne(async (db) => {
      await putSender(db, { name: 'Gone', display: 'G', address: 'g@office.example' })
      throw new Error('and back')
    }),
  ).rejects.toThrow('and back')
  await inOne((db) => putSender(db, { name: 'Long', display: 'ä'.repeat(5_000), address: 'g@office.example' }))
  const [line, ...more] = await lines()
  expect(more).toEqual([])
  expect((line as (typeof more)[number]).details.display).toMatchObject({ to: expect.stringMatching(/^"?ä{499}…$/) })
})

test('it is searched by words, deed and days, and paged', async () => {
  for (const subject of ['one@x.example', 'two@x.example', '100%_@x.example']) await noteDeed(database.pool, { by: ADA, caller: '192.0.2.7', what: 'sign-in failed', subject })
  await noteDeed(database.pool, { by: ADA, caller: null, what: 'signed in', subject: 'ada@x.example' })
  const find = async (query: object) => (await listAudit(database.pool, { zone: 'UTC', limit: 10, ...query })).map((l) => l.subject)
  expect(await find({ text: 'TWO@' })).toEqual(['two@x.example'])
  expect(await find({ text: '%_' })).toEqual(['100%_@x.example'])
  expect(await find({ text: '192.0.2.7', what: 'signed in' })).toEqual([])
  expect(await find({ what: 'signed in' })).toEqual(['ada@x.example'])
  const today = new Date().toISOString().slice(0, 10)
  expect([(await find({ from: today, to: today })).length, await find({ to: '2020-01-01' }), await find({ from: '2999-01-01' })]).toEqual([4, [], []])
  const [first] = await listAudit(database.pool, { zone: 'UTC', limit: 1 })
  expect(await find({ after: first?.id })).toEqual(['100%_@x.example', 'two@x.example', 'one@x.example'])
  expect(await listDeeds(database.pool)).toEqual(['sign-in failed', 'signed in'])
})
