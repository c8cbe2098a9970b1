import { expect, type Page, test } from '@playwright/test'
import { api } from './installation'
import { signIn } from './people'

/** A library of documents by its folders: files are added many at once, looked at, moved; and imports that have a name. */

test.describe.configure({ mode: 'serial' })
let page: Page
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage()
  await signIn(page)
  await api('DELETE', '/api/v1/tables/plans?anyway=true') // where it is tried again
  await api('PUT', '/api/v1/tables/plans', {
    label: 'Plans',
    singular: 'plan',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text', required: true },
      { name: 'folder', label: 'Folder', type: 'folder' },
      { name: 'file', label: 'File', type: 'file' },
    ],
  })
})
test.afterAll(async () => {
  await api('DELETE', '/api/v1/tables/plans?anyway=true')
  await page.close()
})

const file = (name: string, text: string) => ({ name, mimeType: 'text/html', buffer: Buffer.from(text) })
const documents = () => page.getByRole('region', { name: 'Documents' })

test('many files are added at once; one that is too large is refused by itself, two of a name are told apart', async () => {
  await page.goto('/records/plans')
  await page.getByRole('link', { name: 'Folders', exact: true }).click()
  await page.getByLabel('New folder here').fill('Holm/2026')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { name: 'Holm/2026' })).toBeVisible()
  await page
    .getByLabel('Files to add')
    .setInputFiles([
      file('Quay.txt', 'The quay has two berths.'),
      file('Quay.txt', 'Another.'),
      file('../../passwd', 'none'),
      { name: 'Huge.bin', mimeType: 'text/plain', buffer: Buffer.alloc(10_000_001, 65) },
      file('page.html', '<script>alert(1)</script>'),
    ])
  await expect(documents().getByRole('alert')).toContainText('Huge.bin: It is larger than 10 MB.')
  await expect(documents()).toContainText('5 of 5 files')
  const { records } = (await api('GET', '/api/v1/records/plans?order=name')).body as unknown as { records: { name: string; folder: string }[] }
  expect(records.map((r) => `${r.folder}: ${r.name}`).sort()).toEqual(['Quay (2).txt', 'Quay.txt', 'page.html', 'passwd'].map((name) => `Holm/2026: ${name}`))
  await expect(page.getByRole('button', { name: 'Holm, 4 documents' })).toBeVisible()
})

test('a document is looked at: a text as text, a page never as a page', async () => {
  const preview = page.getByRole('region', { name: 'Preview' })
  await documents().getByRole('button', { name: 'Quay.txt', exact: true }).click()
  await expect(preview).toContainText('The quay has two berths.')
  await documents().getByRole('button', { name: 'page.html' }).click()
  await expect(preview).toContainText('<script>alert(1)</script>')
  await expect(preview).toContainText('text/plain')
})

test('a document is moved, and conditions know what is in a folder or below it', async () => {
  const { records } = (await api('GET', '/api/v1/records/plans?order=name')).body as unknown as { records: { id: number; name: string }[] }
  const id = records.find((r) => r.name === 'Quay.txt')?.id
  expect((await api('PATCH', `/api/v1/records/plans/${id}`, { folder: ' Brae // 2026 ' })).body.folder).toBe('Brae/2026')
  expect((await api('PATCH', `/api/v1/records/plans/${id}`, { folder: '../x' })).status).toBe(422)
  const count = async (value: string) =>
    (await api('GET', `/api/v1/records/plans?count&where=${encodeURIComponent(JSON.stringify({ field: 'folder', op: 'is in', value }))}`)).body.count
  expect([await count('holm'), await count('Brae'), await count('Holm/2026'), await count('Hol')]).toEqual([3, 1, 3, 0])
  await page.goto('/records/plans/folders?in=Brae')
  await page.getByRole('button', { name: '2026, 1 documents' }).click()
  await expect(documents().getByRole('button', { name: 'Quay.txt' })).toBeVisible()
  const workflow = {
    rappel: 'workflow/1',
    name: 'x',
    table: 'plans',
    cue: { kind: 'record', on: ['created'] },
    conditions: { all: [{ field: 'folder', op: 'is in', value: 'Brae' }] },
    actions: [],
  }
  const tried = (folder: string) =>
    api('POST', '/api/v1/try', {
      workflow: { ...workflow, actions: [{ name: 'm', do: 'email', to: [{ address: 'a@x.example' }], subject: 's', body: 'b' }] },
      change: { kind: 'created', after: { folder } },
    })
  expect([(await tried('Brae/2027/May')).body.fires, (await tried('Braemar')).body.fires]).toEqual([true, false])
})

test('how a file is imported is kept under a name, and run again by the API', async () => {
  await page.goto('/records/plans/import')
  await page.getByLabel('The file to import').setInputFiles({ name: 'plans.csv', mimeType: 'text/csv', buffer: Buffer.from('What,Where\nNorth plan,Holm\n') })
  await page.getByRole('combobox', { name: /What/ }).click()
  await page.getByRole('option', { name: 'Name' }).click()
  await page.getByRole('combobox', { name: /Where/ }).click()
  await page.getByRole('option', { name: 'Folder' }).click()
  await page.getByLabel('Keep this import as').fill('Plan list')
  await page.keyboard.press('Enter')
  await expect(page.getByText('inbox/Plan list/', { exact: true })).toBeVisible()
  expect((await api('GET', '/api/v1/imports/Plan%20list')).body).toMatchObject({ table: 'plans', columns: { What: 'name', Where: 'folder' } })
  expect((await api('POST', '/api/v1/imports/Plan%20list', 'What,Where\nSouth plan,Brae\n')).body).toMatchObject({ created: 1, refused: [] })
  const refused = await api('POST', '/api/v1/imports/Plan%20list', 'What,Where\nEast plan,../up\n')
  expect([refused.status, refused.body.refused]).toEqual([422, [{ row: 2, problems: [expect.objectContaining({ path: '/folder' })] }]])
  expect((await api('PUT', '/api/v1/imports/..%2Fup', { table: 'plans' })).status).toBe(422)
  expect((await api('DELETE', '/api/v1/imports/Plan%20list')).status).toBe(204)
  expect((await api('POST', '/api/v1/imports/Plan%20list', 'What\nx\n')).status).toBe(404)
})
