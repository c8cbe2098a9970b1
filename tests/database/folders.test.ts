import fc from 'fast-check'
import { OPERATORS } from '@/core/conditions/operators'
import { readFolders } from '@/store/folders'
import { createRecord, listRecords } from '@/store/records'
import { readSettings } from '@/store/settings'
import { putTable, readSchema } from '@/store/tables'
import { freshDatabase } from '../support/database'

/** “is in” means the same in the database as in a run. */

const part = fc.constantFrom('a', 'A', 'ab', 'Ä', 'a b', '%', '_', '2026')
const path = fc.oneof(
  fc.array(part, { minLength: 1, maxLength: 4 }).map((parts) => parts.join('/')),
  fc.constantFrom('a/', '/a', '/', '', ' a /b ', 'a//b'),
)

test('records that are in a folder are those of which the operator holds', async () => {
  const db = await freshDatabase()
  await putTable(db.pool, {
    name: 'papers',
    label: 'Papers',
    singular: 'paper',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'folder', label: 'Folder', type: 'folder' },
    ],
  })
  const schema = await readSchema(db.pool)
  const table = schema.get('papers')
  if (!table) throw new Error('There is no table of papers.')
  const folders = fc.sample(path, { numRuns: 300, seed: 7 })
  for (const folder of folders) await createRecord(db.pool, table, { folder })
  const setting = { schema, organisation: await readSettings(db.pool), people: new Map() }
  for (const value of fc.sample(path, { numRuns: 60, seed: 8 })) {
    const found = await listRecords(db.pool, table, setting, { where: { field: 'folder', op: 'is in', value }, limit: 1_000, order: 'id' })
    const holds = folders.filter((now) => OPERATORS['is in'].test({ now, value } as never))
    expect([value, found.map((r) => r.folder)]).toEqual([value, holds])
  }
  expect((await readFolders(db.pool, table, { name: 'folder', label: 'Folder', type: 'folder' })).reduce((sum, [, count]) => sum + count, 0)).toBe(300)
  await db.drop()
})
