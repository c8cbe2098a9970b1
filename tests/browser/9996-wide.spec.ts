import { expect, test } from '@playwright/test'
import { api } from './installation'
import { signIn } from './people'

/** Where tables have too many fields to send them all, those that one speaks of are whole nonetheless. */

const TABLES = ['wide_quays', 'wide_cranes', 'wide_yards', 'wide_docks', 'wide_sheds', 'wide_gates']
const FIELDS = 690

const wide = (name: string) => ({
  label: name.replace('wide_', 'Wide '),
  singular: name.slice(0, -1),
  titleField: 'called',
  fields: [
    { name: 'called', label: 'Called', type: 'text' },
    { name: 'keeper', label: 'Keeper', type: 'person' },
    ...Array.from({ length: FIELDS }, (_, i) => ({ name: `reading_${i}`, label: `Reading ${i}`, type: i % 2 ? 'text' : 'number' })),
  ],
})

test.describe.configure({ mode: 'serial' })

test.beforeAll(async () => {
  test.setTimeout(180_000)
  for (const name of TABLES) expect((await api('PUT', `/api/v1/tables/${name}`, wide(name))).status).toBe(200)
})

test.afterAll(async () => {
  for (const name of TABLES) await api('DELETE', `/api/v1/tables/${name}`, { anyway: true })
})

test.beforeEach(async ({ page }) => signIn(page))

test('a brief is sent without the fields of tables that it does not speak of, and has those of one that is chosen', async ({ page }) => {
  const response = await page.goto('/workflows/new?table=claims')
  expect(await response?.text()).not.toContain('reading_680')
  await page.getByRole('combobox', { name: 'Records of' }).click()
  await page.getByRole('option', { name: 'Wide cranes' }).click()
  await expect(page.getByRole('combobox', { name: 'Records of' })).toHaveText('Wide cranes')
  const adder = page.getByRole('combobox', { name: 'Add a line' })
  await adder.fill('reading 601 is blank')
  await adder.press('Enter')
  await expect(page.getByRole('button', { name: /reading 601 is blank/ })).toBeVisible()
  await adder.fill('create a wide dock')
  await adder.press('Enter')
  await expect(page.getByRole('combobox', { name: 'A record of' })).toHaveText('Wide docks')
  await page.getByRole('combobox', { name: 'Set a field' }).click()
  await expect(page.getByPlaceholder('Type to find …')).toBeFocused()
  await page.keyboard.type('reading 603')
  await expect(page.getByRole('option', { name: /^reading 603/ }).first()).toBeVisible()
})

test('a list that is open when its fields come stays open, and has them', async ({ page }) => {
  let letCome: () => void = () => undefined
  const wanted = new Promise<void>((resolve) => {
    letCome = resolve
  })
  await page.route('**/api/v1/tables?near=wide_docks', async (route) => {
    await wanted
    await route.continue()
  })
  await page.goto('/workflows/new?table=wide_cranes')
  const adder = page.getByRole('combobox', { name: 'Add a line' })
  await adder.fill('create a wide dock')
  await adder.press('Enter')
  await page.getByRole('combobox', { name: 'Set a field' }).click()
  await expect(page.getByRole('listbox')).toBeVisible() // of the few that came with the page
  await expect(page.getByPlaceholder('Type to find …')).toBeHidden()
  letCome()
  await expect(page.getByPlaceholder('Type to find …')).toBeFocused()
  await page.keyboard.type('reading 603')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('button', { name: 'Do not set reading 603' })).toBeVisible()
})

test('a figure, a template and a grid have the fields of their table', async ({ page }) => {
  await page.goto('/figures/new?table=claims')
  await page.getByRole('combobox', { name: 'Over the records of' }).click()
  await page.getByRole('option', { name: 'Wide yards' }).click()
  await page.getByRole('combobox', { name: 'What is worked out' }).click()
  await page.getByRole('option', { name: 'sum', exact: true }).click()
  await expect(page.getByRole('combobox', { name: 'Of the field' })).toHaveText(/Reading 0/)
  const grid = await page.goto('/records/wide_quays')
  const html = (await grid?.text()) ?? ''
  expect(html).toContain('reading_689')
  expect(html.match(/reading_689/g)?.length ?? 0).toBeLessThan(4) // of its own table alone
})

test('the API tells the tables that paths from one reach, whole', async () => {
  const near = (await api('GET', '/api/v1/tables?near=claims')).body.tables as unknown as { name: string; fields: unknown[] }[]
  expect(near.map((t) => t.name)).toEqual(expect.arrayContaining(['claims', 'person', 'passengers']))
  expect(near.map((t) => t.name)).not.toContain('wide_quays')
  expect((await api('GET', '/api/v1/tables?near=nothing')).status).toBe(404)
})
