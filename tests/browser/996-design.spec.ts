import { expect, type Page, test } from '@playwright/test'
import { api } from './installation'
import { signIn } from './people'

/** A table is designed in the browser, and what speaks of its fields goes along. */

test.describe.configure({ mode: 'serial' })
let page: Page
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage()
  await signIn(page)
  await api('DELETE', '/api/v1/workflows/Permit%20granted') // where it is tried again
  await api('DELETE', '/api/v1/tables/permits?anyway=true')
})
test.afterAll(() => page.close())

const choose = async (label: string, option: string) => {
  await page.getByRole('combobox', { name: label, exact: true }).click()
  await page.getByRole('option', { name: option, exact: true }).click()
}
const open = (label: string) => page.getByRole('list', { name: 'Fields' }).getByRole('button', { name: label, exact: true }).click()
const keep = () => page.getByRole('button', { name: 'Keep it', exact: true }).click()
/** The editor folds once all is kept, which is after the table tells it. */
const folded = (label: string) => expect(page.getByRole('form', { name: `Editor of ${label}` })).toBeHidden()
const table = async (name: string) =>
  (
    (await api('GET', '/api/v1/tables')).body as unknown as {
      tables: { name: string; titleField: string; fields: { name: string; type: string; unique?: boolean; choices?: string[]; marks?: object }[] }[]
    }
  ).tables.find((t) => t.name === name)

test('an empty table is made, given fields of several types, marks and an order', async () => {
  await page.goto('/records/new-table')
  await page.getByLabel('An empty table, called').fill('Permits')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { name: 'Fields of Permits' })).toBeVisible()
  for (const label of ['Harbour', 'Stage', 'Fee']) {
    await page.getByLabel('Add a field').fill(label)
    await page.keyboard.press('Enter')
    await expect(page.getByRole('form', { name: `Editor of ${label}` })).toBeVisible()
    if (label === 'Stage') {
      await choose('Holds', 'choice')
      for (const choice of ['Asked', 'Granted']) {
        await page.getByLabel('Add a choice').fill(choice)
        await page.keyboard.press('Enter')
      }
      await page.getByLabel('Mark of Granted').selectOption('✓')
      await choose('A new record has', 'Asked')
    }
    if (label === 'Fee') await choose('Holds', 'money')
    if (label === 'Harbour') await page.getByLabel('No two records alike').check()
    await keep()
    await expect(page.getByRole('form', { name: `Editor of ${label}` })).toBeHidden()
  }
  await page.getByRole('button', { name: 'Fee up' }).click()
  await expect.poll(async () => (await table('permits'))?.fields.map((f) => f.name)).toEqual(['name', 'harbour', 'fee', 'stage'])
  expect((await table('permits'))?.fields).toMatchObject([
    { type: 'text' },
    { type: 'text', unique: true },
    { type: 'money' },
    { type: 'choice', choices: ['Asked', 'Granted'], marks: { Granted: '✓' } },
  ])
  expect((await api('POST', '/api/v1/records/permits', { name: 'P1', harbour: 'North', stage: 'Granted' })).status).toBe(201)
  const twice = await api('POST', '/api/v1/records/permits', { name: 'P2', harbour: 'NORTH' })
  expect([twice.status, twice.body.detail]).toEqual([409, expect.stringContaining('same value already')])
  await page.goto('/records/permits')
  await expect(page.getByRole('gridcell', { name: '✓ Granted' })).toBeVisible()
})

test('a field that workflows and templates speak of is renamed everywhere, once one has seen where', async () => {
  const workflow = {
    rappel: 'workflow/1',
    name: 'Permit granted',
    table: 'permits',
    cue: { kind: 'record', on: ['changed'] },
    conditions: { all: [{ field: 'stage', op: 'is', value: 'Granted' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'harbour@office.example' }], subject: '{{ permit.name }} is {{ permit.stage }}', body: '{{ link }}' }],
  }
  await api('PUT', '/api/v1/workflows/Permit%20granted', workflow)
  expect((await api('POST', '/api/v1/workflows/Permit%20granted/live', {})).status).toBe(200)
  const refused = await api('POST', '/api/v1/tables/permits/rename-field', { field: 'stage', to: 'state' })
  expect([refused.status, refused.body.uses]).toEqual([409, [{ kind: 'workflow', name: 'Permit granted', inForce: true }]])
  await page.goto('/records/permits/fields')
  await open('Stage')
  await expect(page.getByRole('region', { name: 'Uses of Stage' })).toContainText('Permit granted')
  await page.getByLabel('Name', { exact: true }).fill('state')
  await keep()
  await expect(page.getByRole('alertdialog')).toContainText('Permit granted')
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect.poll(async () => (await table('permits'))?.fields.map((f) => f.name)).toContain('state')
  const { body } = await api('GET', '/api/v1/workflows/Permit%20granted')
  expect(body).toMatchObject({ state: 'live', version: 1, live: { conditions: { all: [{ field: 'state' }] }, actions: [{ subject: '{{ permit.name }} is {{ permit.state }}' }] } })
  await page.goto('/workflows/Permit%20granted/versions')
  await expect(page.getByText('stage is called state now')).toBeVisible()
})

test('a choice that is called otherwise is so everywhere; one that is taken away says what speaks of it', async () => {
  await page.goto('/records/permits/fields')
  await open('Stage')
  await page.getByLabel('Choice 2').fill('Allowed')
  await keep()
  await expect(page.getByRole('alertdialog')).toContainText('Call “Granted” “Allowed” everywhere?')
  await expect(page.getByRole('alertdialog')).toContainText('Permit granted')
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect.poll(async () => (await table('permits'))?.fields.find((f) => f.name === 'state')).toMatchObject({ choices: ['Asked', 'Allowed'], marks: { Allowed: '✓' } })
  await folded('Stage')
  expect((await api('GET', '/api/v1/workflows/Permit%20granted')).body).toMatchObject({ state: 'live', live: { conditions: { all: [{ field: 'state', value: 'Allowed' }] } } })
  expect((await api('GET', '/api/v1/records/permits')).body.records).toMatchObject([{ name: 'P1', state: 'Allowed' }])
  await open('Stage')
  await page.getByLabel('Choice 1').fill('Wanted')
  await keep()
  await expect.poll(async () => (await table('permits'))?.fields.find((f) => f.name === 'state')).toMatchObject({ choices: ['Wanted', 'Allowed'], default: 'Wanted' })
  await folded('Stage')
  await open('Stage')
  await choose('Holds', 'text')
  await choose('Holds', 'choice')
  await expect(page.getByLabel('Choice 2')).toHaveValue('Allowed')
  await keep()
  await folded('Stage')
  expect((await table('permits'))?.fields.find((f) => f.name === 'state')).toMatchObject({ type: 'choice', choices: ['Wanted', 'Allowed'] })
  await open('Stage')
  await page.getByRole('button', { name: 'Take Allowed away' }).click()
  await keep()
  await expect(page.getByRole('alertdialog')).toContainText('Permit granted')
  await expect(page.getByRole('alertdialog')).toContainText('1 of 1 record has it, and would be blank. These speak of it, and never meet it again.')
  await page.getByRole('alertdialog').getByRole('button', { name: 'Leave it', exact: true }).click()
  await page.getByRole('button', { name: 'Leave it' }).click()
})

test('another type: what would not convert is shown before it is blanked; a field and the table are removed', async () => {
  await api('POST', '/api/v1/records/permits', { name: '12', harbour: 'South' })
  await page.goto('/records/permits/fields')
  await open('Harbour')
  await choose('Holds', 'number')
  await keep()
  await expect(page.getByRole('alertdialog')).toContainText('Of 2 values, 0 become number')
  await expect(page.getByRole('alertdialog')).toContainText('North')
  await page.getByRole('alertdialog').getByRole('button', { name: 'Leave it' }).click()
  await page.getByRole('button', { name: 'Leave it' }).click()
  await open('Stage')
  await page.getByRole('button', { name: 'Remove the field' }).click()
  await page.getByRole('button', { name: 'Remove it, and pause those' }).click()
  await expect.poll(async () => (await table('permits'))?.fields.map((f) => f.name)).toEqual(['name', 'harbour', 'fee'])
  expect((await api('GET', '/api/v1/workflows/Permit%20granted')).body.state).toBe('paused')
  await page.getByRole('button', { name: 'Put the table away' }).click()
  await expect(page.getByText('It is put away')).toBeVisible()
  await page.goto('/records')
  await expect(page.getByRole('link', { name: /Permits/ })).toBeHidden()
  await page.goto('/records/permits/fields')
  await page.getByRole('button', { name: 'Delete the table' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Delete the table' }).click()
  await expect(page).toHaveURL(/\/records$/)
  expect(await table('permits')).toBeUndefined()
  await api('DELETE', '/api/v1/workflows/Permit%20granted')
})
