import { OPERATORS } from '../conditions/operators'
import { folderFieldOf, folderTree } from './folders'
import { parseValue } from './parse'
import type { FieldDef } from './tables'

const FOLDER: FieldDef = { name: 'folder', label: 'Folder', type: 'folder' }
const parsed = (value: unknown) => parseValue(FOLDER, value, '/folder')

test('paths make a tree, with counts of each folder and of those below it', () => {
  const [certificates, minutes] = folderTree([
    ['Minutes/Board', 2],
    ['Certificates', 1],
    ['certificates/2026', 3],
    ['Minutes', 0],
    ['Certificates/2025/Holm', 4],
  ])
  expect([certificates?.name, certificates?.own, certificates?.all, certificates?.folders.map((f) => [f.name, f.path, f.all])]).toEqual([
    'Certificates',
    1,
    8,
    [
      ['2025', 'Certificates/2025', 4],
      ['2026', 'Certificates/2026', 3],
    ],
  ])
  expect([minutes?.name, minutes?.all]).toEqual(['Minutes', 2])
  expect(folderTree([])).toEqual([])
})

test.each([
  ['Certificates/2026', 'Certificates/2026'],
  [' /Certificates// 2026 /', 'Certificates/2026'],
  ['Certificates\\2026', 'Certificates/2026'],
])('the folder %j is kept as %j', (given, kept) => {
  expect(parsed(given)).toEqual({ value: kept })
})

test.each([['../etc'], ['a/../b'], ['./a'], ['/'], ['a\u0000b'], ['x'.repeat(121)], [Array(21).fill('a').join('/')], [3]])('%j is no folder', (given) => {
  expect(parsed(given)).toHaveProperty('problem')
})

test('a table with a file and a folder is a library of documents', () => {
  const file: FieldDef = { name: 'file', label: 'File', type: 'file' }
  expect(folderFieldOf({ fields: [file, FOLDER] })).toBe(FOLDER)
  expect([folderFieldOf({ fields: [FOLDER] }), folderFieldOf({ fields: [file] })]).toEqual([null, null])
})

test.each([
  ['Certificates', 'certificates', true],
  ['Certificates/2026', 'Certificates', true],
  ['Certificates/2026', '/Certificates/', true],
  ['Certificates/2026', 'Certificates/2', false],
  ['Certificates2', 'Certificates', false],
  ['Certificates', 'Certificates/2026', false],
  [null, 'Certificates', false],
  ['Certificates', '', false],
  ['Certificates', '/', false],
])('%j is in %j: %s', (now, value, holds) => {
  expect(OPERATORS['is in'].test({ now, value } as never)).toBe(holds)
})
