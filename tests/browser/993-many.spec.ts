import { readFile } from 'node:fs/promises'
import { expect, test } from '@playwright/test'
import { api, subjectsTo } from './installation'
import { sessionOf, signIn, TOVE } from './people'

/** Many records at once, as somebody does it: a file imported, all that fits changed, files of them. */

const NAME = 'Many at once, watched'
const PATH = `/api/v1/workflows/${encodeURIComponent(NAME)}`

test.afterAll(async () => {
  await api('DELETE', PATH)
  await api('DELETE', '/api/v1/records/claims', { where: { field: 'number', op: 'starts with', value: 'MANY-' } })
})

const mails = async () => (await subjectsTo('many@x.example')).sort()

test('a file is imported with its columns seen and its forecast; all that fits is changed as one; the log says what came of it', async ({ page }) => {
  await api('PUT', PATH, {
    rappel: 'workflow/1',
    name: NAME,
    table: 'claims',
    cue: { kind: 'record', on: ['created', 'changed'], fields: ['status'] },
    firing: 'every',
    conditions: {
      all: [
        { field: 'number', op: 'starts with', value: 'MANY-' },
        { field: 'status', op: 'is', value: 'Settled' },
      ],
    },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'many@x.example' }], subject: 'Many {{ claim.number }}', body: 'B', format: 'plain' }],
  })
  expect((await api('POST', `${PATH}/live`)).status).toBe(200)
  await signIn(page)
  await page.goto('/records/claims')
  await page.getByRole('button', { name: 'Many at once' }).click()
  await page.getByRole('menuitem', { name: 'Import a file' }).click()
  const choose = (csv: string) => page.getByLabel('The file to import').setInputFiles({ name: 'claims.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) })
  await expect(page.getByRole('button', { name: 'Choose a file' })).toBeVisible()
  await choose('Number;Kind;Status;Amount;Whatever\nMANY-1;baggage;New;1.250,50;x\nMANY-2;Baggage;Settled;12,00;x\nMANY-3;Baggage;Setled;7,5;x\n')
  await expect(page.getByText('claims.csv, UTF-8, with semicolons between')).toBeVisible()
  await expect(page.getByText('1 row is refused')).toBeVisible()
  await expect(page.getByText(/Row 4 Status is one of/)).toBeVisible()
  await expect(page.getByRole('button', { name: /^Add 2 claims/ })).toBeDisabled() // all or nothing, and one is refused
  await choose('Number;Kind;Status;Amount;Whatever\nMANY-1;baggage;New;1.250,50;x\nMANY-2;Baggage;Settled;12,00;x\nMANY-3;Baggage;Settled;7,5;x\n')
  await expect(page.getByRole('region', { name: 'What it sets off' }).getByRole('row', { name: new RegExp(NAME) })).toBeVisible()
  await expect(page.getByRole('combobox', { name: 'Field for Whatever' })).toContainText('not imported')
  await expect(page.getByRole('combobox', { name: 'Before decimals stands' })).toContainText('a comma')
  expect(await mails()).toEqual([]) // a forecast sends nothing
  await page.getByRole('button', { name: /^Add 3 claims and send/ }).click()
  await expect(page.getByRole('status').filter({ hasText: '3 claims added' })).toBeVisible()
  await expect.poll(mails).toEqual(['Many MANY-2', 'Many MANY-3'])
  await page.getByRole('link', { name: 'See what came of it' }).click()
  await expect(page.getByRole('heading', { name: 'Import of claims.csv' })).toBeVisible()
  await expect(page.getByRole('row', { name: new RegExp(`${NAME} 2 0 2`) })).toBeVisible()

  await page.goto(`/records/claims?where=${encodeURIComponent(JSON.stringify({ all: [{ field: 'number', op: 'starts with', value: 'MANY-' }] }))}`)
  await expect(page.getByText('3 that fit')).toBeVisible()
  await page.getByRole('button', { name: 'Many at once' }).click()
  await page.getByRole('menuitem', { name: 'Change the 3 claims that fit' }).click()
  const sheet = page.getByRole('dialog')
  await sheet.getByRole('combobox', { name: 'Field to set' }).click()
  await page.getByRole('option', { name: 'Status' }).click()
  await sheet.getByRole('combobox', { name: 'Status' }).click()
  await page.getByRole('option', { name: 'Settled' }).click()
  await expect(sheet.getByText('2 claims have that already.')).toBeVisible()
  await sheet.getByRole('button', { name: /^Change 1 claim and send/ }).click()
  await expect(sheet).toBeHidden()
  await expect.poll(mails).toEqual(['Many MANY-1', 'Many MANY-2', 'Many MANY-3'])
})

test('chosen records are deleted quietly; all that fits comes as a file that spreadsheets read', async ({ page }) => {
  const where = encodeURIComponent(JSON.stringify({ field: 'number', op: 'starts with', value: 'MANY-' }))
  await signIn(page)
  await page.goto(`/records/claims?where=${where}&order=number`)
  await expect(page.getByText('3 that fit')).toBeVisible()
  await page.getByRole('button', { name: 'Many at once' }).click()
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('menuitem', { name: 'Export as CSV' }).click()])
  const csv = await readFile(await download.path(), 'utf8')
  expect(
    csv
      .split('\r\n')
      .slice(0, 3)
      .map((line) => line.split(',')[1]),
  ).toEqual(['Number', 'MANY-1', 'MANY-2'])
  await page.getByRole('checkbox', { name: 'Choose MANY-1' }).click()
  await page.getByRole('checkbox', { name: 'Choose MANY-2' }).click()
  await page.getByRole('button', { name: 'Delete them …' }).click()
  await page
    .getByRole('dialog')
    .getByRole('checkbox', { name: /Quietly/ })
    .check()
  await page.getByRole('dialog').getByRole('button', { name: 'Delete 2 claims, quietly' }).click()
  await expect(page.getByText('1 that fits').or(page.getByText('1 that fit'))).toBeVisible()
  await page.goto('/bulk')
  await expect(page.getByRole('row', { name: /Mass deletion ?quietly Claims 0 0 2 Maren Voss/ })).toBeVisible()
})

test('the API: what is wrong with an import or a forecast is said, and nothing is written; quietly is for administrators', async ({ playwright }) => {
  const bad = await api('POST', '/api/v1/records/claims/forecast', { where: { field: 'nope', op: 'is', value: 1 }, set: { status: 'Settled' } })
  expect(bad.status).toBe(422)
  expect((await api('PATCH', '/api/v1/records/claims', { where: { field: 'id', op: 'is', value: -1 }, set: { status: 'Gone' } })).status).toBe(422)
  expect((await api('POST', '/api/v1/records/claims/import?key=nope', 'a,b\n1,2\n')).status).toBe(422)
  expect((await api('POST', '/api/v1/records/claims/import?deleteMissing=true', 'a,b\n1,2\n')).status).toBe(422)
  const refused = await api('POST', '/api/v1/records/claims/import', 'number,amount\nMANY-9,much\n')
  expect([refused.status, refused.body.refused]).toEqual([422, [{ row: 2, problems: [expect.objectContaining({ code: 'wrong type', path: '/amount' })] }]])
  expect((await api('GET', `/api/v1/records/claims?where=${encodeURIComponent(JSON.stringify({ field: 'number', op: 'is', value: 'MANY-9' }))}`)).body.records).toEqual([])
  const tove = await sessionOf(playwright, TOVE)
  expect((await tove.patch('/api/v1/records/claims', { data: { ids: [], set: { status: 'New' }, quiet: true } })).status()).toBe(403)
})
