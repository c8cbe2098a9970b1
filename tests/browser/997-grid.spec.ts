import { expect, type Page, test } from '@playwright/test'
import { api } from './installation'
import { INES, RAFI, signIn, TOVE } from './people'

/** The grid: sorted by several, gathered, its columns chosen, kept as views; totals; cells copied, pasted and taken back. */

test.describe.configure({ mode: 'serial' })
let page: Page
test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, permissions: ['clipboard-read', 'clipboard-write'] })
  page = await context.newPage()
  await signIn(page)
  await api('DELETE', '/api/v1/tables/berths?anyway=true') // where it is tried again
  await api('PUT', '/api/v1/tables/berths', {
    label: 'Berths',
    singular: 'berth',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'quay', label: 'Quay', type: 'choice', choices: ['East', 'West'] },
      { name: 'fee', label: 'Fee', type: 'money' },
      { name: 'keeper', label: 'Keeper', type: 'person' },
      { name: 'free_from', label: 'Free from', type: 'date' },
    ],
  })
  const rows = Array.from({ length: 40 }, (_, i) => ({
    name: `B${String(i + 1).padStart(2, '0')}`,
    quay: i % 3 ? 'West' : 'East',
    fee: (i % 5) * 10,
    keeper: [INES, RAFI, TOVE][i % 3],
  }))
  await api('POST', '/api/v1/records/berths/import', rows.map((r) => JSON.stringify(r)).join('\n'))
})
test.afterAll(async () => {
  await api('DELETE', '/api/v1/tables/berths?anyway=true')
  await page.context().close()
})

const head = (name: string) => page.getByRole('columnheader', { name: new RegExp(`^${name}`) }).getByRole('button')
const cell = (row: number, column: number) => page.locator(`#cell-${row}-${column}`)
const texts = (column: number, rows: number) => Promise.all(Array.from({ length: rows }, (_, i) => cell(i, column).innerText()))
const clipboard = () => page.evaluate(() => navigator.clipboard.readText())
const put = (text: string) => page.evaluate((t) => navigator.clipboard.writeText(t), text)

test('rows are sorted by several fields, and the address says so', async () => {
  await page.goto('/records/berths')
  await head('Quay').click()
  await head('Fee').click({ modifiers: ['Shift'] })
  await head('Fee').click({ modifiers: ['Shift'] })
  await expect(page).toHaveURL(/order=quay%2C-fee/)
  await expect.poll(() => texts(2, 4)).toEqual(['£40.00', '£40.00', '£40.00', '£30.00'])
  expect(await texts(1, 3)).toEqual(['East', 'East', 'East'])
})

test('the foot says what a column of all that fit comes to', async () => {
  const fee = page.getByRole('row', { name: 'Totals' }).getByRole('button', { name: /^Fee/ })
  await expect(fee).toHaveAccessibleName('Fee: sum £800.00')
  await fee.click()
  await expect(fee).toHaveAccessibleName('Fee: average £20.00')
  await fee.click()
  await fee.click()
  await expect(fee).toHaveAccessibleName('Fee: most £40.00')
})

test('records are gathered by a field, columns are hidden and kept in sight, and all of it is kept as a view with an address', async () => {
  await page.goto('/records/berths')
  await page.getByRole('button', { name: 'Columns' }).click()
  await page.getByRole('combobox', { name: 'Gather by' }).click()
  await page.getByRole('option', { name: 'gathered by keeper' }).click()
  await page.getByRole('checkbox', { name: 'Free from' }).uncheck()
  await page.getByRole('button', { name: 'Keep Quay and those before it in sight' }).click()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('row').filter({ hasText: 'Ines Okafor' }).first()).toContainText('14')
  await expect(page.getByRole('columnheader', { name: /^Free from/ })).toBeHidden()
  await page.getByRole('separator', { name: 'Width of Quay' }).focus()
  await page.keyboard.press('ArrowRight')
  await page.getByRole('button', { name: 'Views', exact: true }).click()
  await page.getByLabel('Keep this view as').fill('By keeper')
  await page.getByRole('checkbox', { name: 'for everybody' }).check()
  await page.getByRole('button', { name: 'Keep it' }).click()
  await expect(page).toHaveURL(/view=By\+keeper/)
  await page.goto('/records/berths?view=By+keeper')
  await expect(page.getByRole('button', { name: 'View: By keeper' })).toBeVisible()
  await expect(page.getByRole('row').filter({ hasText: 'Ines Okafor' }).first()).toContainText('14')
  expect((await api('GET', '/api/v1/views/berths')).body.views).toMatchObject([
    { name: 'By keeper', shared: true, view: { group: 'keeper', frozen: 2, columns: ['name', 'quay', 'fee', 'keeper'] } },
  ])
  await api('POST', '/api/v1/tables/berths/rename-field', { field: 'quay', to: 'side', anyway: true })
  expect((await api('GET', '/api/v1/views/berths')).body.views).toMatchObject([{ view: { columns: ['name', 'side', 'fee', 'keeper'] } }])
  await api('POST', '/api/v1/tables/berths/rename-field', { field: 'side', to: 'quay', anyway: true })
})

test('cells are copied as spreadsheets take them, and pasted over as one, with a forecast', async () => {
  await page.goto('/records/berths?order=name')
  await cell(0, 2).click()
  await cell(2, 3).click({ modifiers: ['Shift'] })
  await page.keyboard.press('Control+c')
  await expect(page.getByText('6 cells are copied.')).toBeVisible()
  expect(await clipboard()).toBe('£0.00\tInes Okafor\n£10.00\tRafi Demir\n£20.00\tTove Lindqvist')
  await put('£5.50\tTove Lindqvist\n7\tInes Okafor\n')
  await cell(0, 2).click()
  await page.keyboard.press('Control+v')
  const dialog = page.getByRole('dialog')
  await expect(dialog).toContainText('Paste over 2 berths')
  await dialog.getByRole('button', { name: 'Change 2 berths' }).click()
  await expect(cell(0, 2)).toHaveText('£5.50')
  await expect(cell(1, 3)).toHaveText('Ines Okafor')
  await put('no number')
  await cell(0, 2).click()
  await page.keyboard.press('Control+v')
  await expect(dialog.getByRole('alert')).toContainText('Line 1')
  await expect(dialog.getByRole('button', { name: 'Nothing would change' })).toBeDisabled()
  await dialog.getByRole('button', { name: 'Not now' }).click()
})

test('one’s last edit is taken back, but not where somebody has changed the record since', async () => {
  await page.goto('/records/berths?order=name')
  const edit = async (text: string) => {
    await cell(4, 2).dblclick()
    await page.getByRole('textbox', { name: 'Fee' }).fill(text)
    await page.keyboard.press('Enter')
    await expect(cell(4, 2)).toHaveText(`£${text}.00`)
  }
  await expect(cell(4, 2)).toHaveText('£40.00')
  await edit('41')
  await page.keyboard.press('Control+z')
  await expect(cell(4, 2)).toHaveText('£40.00')
  await edit('42')
  const { records } = (await api('GET', `/api/v1/records/berths?where=${encodeURIComponent('{"field":"name","op":"is","value":"B05"}')}`)).body as unknown as {
    records: { id: number }[]
  }
  await api('PATCH', `/api/v1/records/berths/${records[0]?.id}`, { quay: 'East' })
  await page.keyboard.press('Control+z')
  await expect(page.getByText('Somebody has changed the record since')).toBeVisible()
  await expect(cell(4, 2)).toHaveText('£42.00')
})

test('the API: records have entity tags, by which nothing is overwritten unseen', async () => {
  const { records } = (await api('GET', '/api/v1/records/berths?limit=1&order=name')).body as unknown as { records: { id: number }[] }
  const path = `/api/v1/records/berths/${records[0]?.id}`
  const get = (headers: Record<string, string> = {}) => page.request.get(path, { headers })
  const etag = (await get()).headers().etag as string
  expect((await get({ 'if-none-match': etag })).status()).toBe(304)
  expect((await api('PATCH', path, { fee: 99 })).status).toBe(200)
  expect((await get({ 'if-none-match': etag })).status()).toBe(200)
  const origin = new URL(page.url()).origin
  expect((await page.request.delete(path, { headers: { 'if-match': etag, origin } })).status()).toBe(412)
  expect((await api('GET', '/api/v1/records/berths?order=name,nothing')).status).toBe(422)
})
