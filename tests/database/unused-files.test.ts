import type { TableDef } from '@/core/values/tables'
import { many, transaction } from '@/store/database'
import { createFile, putLibraryFile, removeLibraryFile } from '@/store/files'
import { dropUnusedContents } from '@/store/retention'
import { putTable, readSchema } from '@/store/tables'
import { dropUnusedFiles } from '@/store/unused-files'
import { freshDatabase } from '../support/database'

/** Files go once nothing has spoken of them for long: no record, no change as far as they are kept, no mail, no example. */

const PAPERS: TableDef = {
  name: 'papers',
  label: 'Papers',
  singular: 'paper',
  titleField: 'title',
  fields: [
    { name: 'title', label: 'Title', type: 'text' },
    { name: 'document', label: 'Document', type: 'file' },
  ],
}

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
  await putTable(db.pool, PAPERS)
})
afterEach(() => db.drop())

const make = async (name: string) => (await createFile(db.pool, { name, type: 'text/plain', content: Buffer.from(name) }, null)).id
const drop = () => transaction(db.pool, async (tx) => dropUnusedFiles(tx, await readSchema(tx), 31))
const pass = (days: number) => db.pool.query(`update rappel.file set unused_since = unused_since - make_interval(days => $1)`, [days])
const left = async () => (await many<{ name: string }>(db.pool, 'select name from rappel.file order by name')).map((f) => f.name)

test('a file that nothing speaks of goes after its days, with its content; what is used stays however long', async () => {
  const [inRecord, inPast, mailed, inExample] = [await make('in a record'), await make('in the past'), await make('mailed'), await make('in an example')]
  await make('nowhere')
  await putLibraryFile(db.pool, 'in the library', { type: 'text/plain', content: Buffer.from('in the library') }, null)
  await db.pool.query(`insert into data.papers (title, document) values ('A', $1), ('B', $2)`, [inRecord, inPast])
  await db.pool.query(`update data.papers set document = null where title = 'B'`)
  await db.pool.query(
    `insert into rappel.message (action, message_id, sender, subject, html, body, attachments, state, next_at, changed_at, created_at)
     values ('tell', '<1@x>', '{}', 'S', '', '', $1, 'sent', now(), now(), now())`,
    [JSON.stringify([{ file: mailed, name: 'mailed' }])],
  )
  await db.pool.query(`insert into rappel.workflow (name, draft, draft_saved_at) values ('W', $1, now())`, [
    JSON.stringify({ examples: [{ change: { after: { document: inExample } } }] }),
  ])
  expect(await drop()).toBe(0)
  await pass(30)
  expect(await drop()).toBe(0)
  await pass(2)
  expect(await drop()).toBe(1)
  expect(await left()).toEqual(['in a record', 'in an example', 'in the library', 'in the past', 'mailed'])
  expect(await dropUnusedContents(db.pool)).toBe(1)
  // the log's months, the mail's texts and the record go: then the files do
  await db.pool.query(`delete from data.papers; delete from rappel_log.papers; update rappel.message set attachments = null; update rappel.workflow set draft = '{}'`)
  await removeLibraryFile(db.pool, 'in the library')
  expect(await drop()).toBe(0)
  await pass(32)
  expect(await drop()).toBe(5)
  expect(await dropUnusedContents(db.pool)).toBe(5)
})

test('one that is used again in time is used', async () => {
  const file = await make('again')
  expect(await drop()).toBe(0)
  await pass(40)
  await db.pool.query(`insert into data.papers (title, document) values ('A', $1)`, [file])
  expect(await drop()).toBe(0)
  expect(await many(db.pool, 'select unused_since from rappel.file')).toEqual([{ unused_since: null }])
})

test('one that is just being put into a record is not taken from it', async () => {
  const file = await make('just now')
  expect(await drop()).toBe(0)
  await pass(40)
  const client = await db.pool.connect()
  try {
    await client.query('begin')
    await client.query(`insert into data.papers (title, document) values ('A', $1)`, [file])
    const dropping = drop()
    await new Promise((resolve) => setTimeout(resolve, 200))
    await client.query('commit')
    expect(await dropping).toBe(0)
  } finally {
    client.release()
  }
  expect(await many(db.pool, 'select document::int as document from data.papers')).toEqual([{ document: file }])
})

test('fields that are gone, and what is recorded of them, keep their files as long as it is kept', async () => {
  const file = await make('of a field that is gone')
  await db.pool.query(`insert into data.papers (title, document) values ('A', $1)`, [file])
  await db.pool.query(`delete from data.papers`)
  await putTable(db.pool, { ...PAPERS, fields: PAPERS.fields.filter((f) => f.name !== 'document') })
  await drop()
  await pass(40)
  expect(await drop()).toBe(0)
  expect(await left()).toEqual(['of a field that is gone'])
})
