import { chmod, mkdir, readdir, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { IMPORT_NAME } from '@/core/bulk/named'
import { Inbox } from '@/engine/bulk/inbox'
import { listImports, listRefusedFiles, noteTaken, putImport } from '@/store/bulk/imports'
import { many } from '@/store/database'
import { renameField } from '@/store/design/rename'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

/** Files that are laid into an import's folder are imported, each once, and put aside. */

/** Milliseconds that a file must not have grown. */
const SETTLED = 500

/** The user with no rights, as Debian numbers it. */
const NOBODY = 65_534

let engine: Engine
let folder: string
let inbox: Inbox
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  await putImport(
    engine.pool,
    { name: 'Weekly', table: 'claims', key: 'number', columns: { Ref: 'number', What: 'note' }, ways: {}, deleteMissing: false, partly: false, quiet: false },
    null,
  )
  folder = join(engine.folder, 'inbox', 'Weekly')
  inbox = new Inbox(engine.pool, engine.folder, () => undefined, SETTLED)
})
afterEach(() => engine.stop())

const lay = (name: string, text: string) => mkdir(folder, { recursive: true }).then(() => writeFile(join(folder, name), text))
const files = async (of = '.') => (await readdir(join(folder, of)).catch(() => [])).filter((f) => f !== 'done' && f !== 'refused')
const notes = async () => (await many<{ note: string | null }>(engine.pool, 'select note from data.claims order by number')).map((r) => r.note)
/** Looks until every file is put aside. */
const settle = (...inboxes: Inbox[]) =>
  until('the files', async () => {
    await Promise.all((inboxes.length ? inboxes : [inbox]).map((i) => i.look()))
    return (await files()).filter((f) => !f.startsWith('.')).length === 0
  })

test('a file sets off what its rows set off, and is put aside; the next changes what it has a key of', async () => {
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker()
  await inbox.look()
  await lay('claims.csv', 'Ref,What,Owner\nA1,first,ines@office.example\nA2,second,ines@office.example\n')
  await settle()
  expect(await notes()).toEqual(['first', 'second'])
  expect((await files('done'))[0]).toMatch(/^\d{4}-\d\d-\d\dT[\d-]+ claims\.csv$/)
  await until('the mail', () => engine.room.store.list({}).length === 2)
  await lay('claims.csv', 'Ref,What\nA2,other\nA3,third\n')
  await settle()
  expect(await notes()).toEqual(['first', 'other', 'third'])
  expect(await many(engine.pool, 'select name, kind, created, changed from rappel.bulk order by id')).toEqual([
    { name: 'Weekly: claims.csv', kind: 'import', created: 2, changed: 0 },
    { name: 'Weekly: claims.csv', kind: 'import', created: 1, changed: 1 },
  ])
})

test('a broken file moves nothing, and says at which row and why, beside it and in the log', async () => {
  await lay('bad.csv', 'Ref,What,Amount\nA1,fine,3\nA2,odd,three\n')
  await settle()
  expect(await notes()).toEqual([])
  const [text] = (await files('refused')).filter((f) => f.endsWith('.txt'))
  expect(await readFile(join(folder, 'refused', text as string), 'utf8')).toMatch(/Row 3: .*three/)
  expect(await listRefusedFiles(engine.pool, new Date(0), 5)).toMatchObject([{ import: 'Weekly', file: 'bad.csv', table: 'claims', problem: expect.stringContaining('Row 3') }])
  await lay('worse.xlsx', 'PK\u0003\u0004 but no workbook')
  await settle()
  expect((await listRefusedFiles(engine.pool, new Date(0), 5)).map((f) => f.file)).toEqual(['worse.xlsx', 'bad.csv'])
})

test('a file that still grows is left alone; hidden files and links are never taken', async () => {
  await lay('growing.csv', 'Ref,What\n')
  for (let i = 0; i < 4; i++) {
    await inbox.look()
    await writeFile(join(folder, 'growing.csv'), `A${i},x\n`, { flag: 'a' })
    await new Promise((resolve) => setTimeout(resolve, 250))
  }
  expect(await notes()).toEqual([])
  await writeFile(join(engine.folder, 'secret.csv'), 'Ref,What\nS,secret\n')
  await symlink(join(engine.folder, 'secret.csv'), join(folder, 'link.csv'))
  await lay('.hidden.csv', 'Ref,What\nH,hidden\n')
  await until('it to be taken', async () => {
    await inbox.look()
    return (await notes()).length === 4
  })
  await new Promise((resolve) => setTimeout(resolve, 700))
  await inbox.look()
  expect((await files()).sort()).toEqual(['.hidden.csv', 'link.csv'])
  expect(await notes()).toEqual(['x', 'x', 'x', 'x'])
})

test('names that are long, or in another script’s bytes, keep no file from being taken, nor those after it', async () => {
  await lay(`a${'ä'.repeat(120)}.csv`, 'Ref,What\nA1,long\n')
  await lay('z.csv', 'Ref,What\nA3,last\n')
  await writeFile(Buffer.concat([Buffer.from(`${folder}/`), Buffer.from('\u00dcbersicht.csv', 'latin1')]), 'Ref,What\nA2,latin\n')
  await settle()
  expect(await notes()).toEqual(['long', 'latin', 'last'])
  expect((await files('done')).map((name) => name.slice(20).replace(/ä+/, 'ä…')).sort()).toEqual(['aä….csv', 'z.csv', 'Übersicht.csv'])
})

test('a file that may not be read is refused in words, and those after it are taken', async () => {
  await lay('a.csv', 'Ref,What\nA1,hidden\n')
  await lay('b.csv', 'Ref,What\nA2,open\n')
  await chmod(join(folder, 'a.csv'), 0o000)
  const isRoot = process.getuid?.() === 0
  if (isRoot) for (const path of [engine.folder, join(engine.folder, 'inbox'), folder]) await chmod(path, 0o777)
  if (isRoot) process.seteuid?.(NOBODY)
  try {
    await settle()
  } finally {
    if (isRoot) process.seteuid?.(0)
  }
  expect(await notes()).toEqual(['open'])
  const [why = ''] = (await files('refused')).filter((name) => name.endsWith('.txt'))
  expect(await readFile(join(folder, 'refused', why), 'utf8')).toContain('may not be read')
  expect(await listRefusedFiles(engine.pool, new Date(0), 10)).toHaveLength(1)
})

test('two workers that look at once take a file once; one that was written and not put aside is put aside, not written again', async () => {
  await putImport(engine.pool, { name: 'Weekly', table: 'claims', key: null, columns: { What: 'note' }, ways: {}, deleteMissing: false, partly: false, quiet: false }, null)
  await lay('a.csv', 'What\none\n')
  await lay('b.csv', 'What\ntwo\n')
  await settle(inbox, new Inbox(engine.pool, engine.folder, () => undefined, SETTLED), new Inbox(engine.pool, engine.folder, () => undefined, SETTLED))
  expect((await notes()).sort()).toEqual(['one', 'two'])
  // as it stands when a worker was killed between the commit and putting aside
  const marks = await many<{ mark: string; file: string }>(engine.pool, 'select mark, file from rappel.import_file order by file')
  const [done] = (await files('done')).filter((f) => f.endsWith('a.csv'))
  await rm(join(folder, 'a.csv'), { force: true })
  const { rename } = await import('node:fs/promises')
  await rename(join(folder, 'done', done as string), join(folder, 'a.csv'))
  await settle()
  expect((await notes()).sort()).toEqual(['one', 'two'])
  expect(await many(engine.pool, 'select mark, file from rappel.import_file order by file')).toEqual(marks)
})

test('names of imports are names of folders, and nothing else; a field that is renamed goes along', async () => {
  for (const name of ['../x', 'a/b', '.x', '', 'x'.repeat(81), 'a\u0000b', 'a\nb']) expect([name, IMPORT_NAME.test(name)]).toEqual([name, false])
  for (const name of ['Weekly', 'stock count 2', 'Größe_1']) expect([name, IMPORT_NAME.test(name)]).toEqual([name, true])
  await renameField(engine.pool, { table: 'claims', from: 'number', to: 'reference' }, true, null)
  expect(await listImports(engine.pool)).toMatchObject([{ key: 'reference', columns: { Ref: 'reference', What: 'note' } }])
  await noteTaken(engine.pool, { import: 'Weekly', file: 'x', mark: '1' }, { problem: 'y'.repeat(5_000) })
})
