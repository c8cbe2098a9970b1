import { execFileSync } from 'node:child_process'
import { expect, type Page, test } from '@playwright/test'
import { api, BASE, POST_ROOM, secret } from './installation'
import { signInOnPage } from './people'

test.describe.configure({ mode: 'serial' })
let page: Page
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage()
  await signInOnPage(page)
})
test.afterAll(() => page.close())

const choose = async (label: string, option: string | RegExp) => {
  await page.getByRole('combobox', { name: label, exact: true }).click()
  await page.getByRole('option', { name: option }).first().click()
}

test('1: Today, Workflows, Records, Runs and Post room show the demo', async () => {
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/day/)
  await expect(page.getByText('since midnight')).toBeVisible()
  for (const [place, shows] of [
    ['Workflows', 'Defect that stops sailing'],
    ['Records', 'Charter enquiries'],
    ['Runs', 'Stores to reorder'],
    ['Post room', 'Idris Penhale'],
  ] as const) {
    await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: place }).click()
    await expect(page.getByText(shows).first()).toBeVisible()
  }
})

test('2: a claim is added, opened, edited in its page and in the grid, given an owner, and deleted', async () => {
  await page.goto('/records/claims')
  await page.getByRole('link', { name: 'Add a claim' }).click()
  await page.getByRole('button', { name: 'Add the claim' }).click()
  await expect(page.getByRole('alert').filter({ hasText: 'Kind must be filled' })).toBeVisible()
  await choose('Kind', 'Refund')
  await page.getByLabel('Amount').fill('125.50')
  await page.getByRole('button', { name: 'Add the claim' }).click()
  const number = await page
    .getByRole('heading', { level: 1 })
    .filter({ hasText: /^CL-\d+/ })
    .innerText()
  await page.getByRole('button', { name: /Edit Owner, now blank/ }).click()
  await page.getByRole('option', { name: 'Oona Brisk' }).click() // its list is open already
  await expect(page.getByRole('button', { name: 'Edit Owner, now Oona Brisk' })).toBeVisible()
  await expect(page.getByText('owner blank →')).toBeVisible()

  await page.goto(`/records/claims?where=${encodeURIComponent(JSON.stringify({ field: 'number', op: 'is', value: number }))}`)
  const cell = page.getByRole('gridcell', { name: '£125.50', exact: true })
  await cell.dblclick()
  await page.getByRole('textbox', { name: 'Amount' }).fill('130')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('gridcell', { name: '£130.00', exact: true })).toBeVisible()

  await page.getByRole('link', { name: number }).click()
  await page.getByRole('button', { name: 'Delete', exact: true }).click()
  await page.getByRole('button', { name: 'Delete the claim' }).click()
  await expect(page).toHaveURL(/\/records\/claims$/)
  expect((await api('GET', `/api/v1/records/claims?where=${encodeURIComponent(JSON.stringify({ field: 'number', op: 'is', value: number }))}`)).body.records).toEqual([])
})

test('3: a workflow is made, reads as a brief, is saved and sent live', async () => {
  await page.goto('/workflows/new?table=claims')
  await page.getByLabel('Name of the workflow').fill('Vehicle claims')
  await expect(page.getByRole('button', { name: 'line 1, cue, a claim is created, anyone’s' })).toBeVisible()
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Add a condition' }).click()
  await choose('Field', /^kind/)
  await choose('Value', 'Vehicle damage')
  await page.getByRole('button', { name: 'Add a condition' }).click()
  await choose('Field', /^amount/)
  await choose('Holds when it', 'is at least')
  await page.getByLabel('Value').fill('250')
  await page.getByRole('button', { name: 'Add an email', exact: true }).click()
  await choose('Add to To', 'its owner')
  await page.getByLabel('Subject').fill('{{ claim.number }}: Fähre beschädigt')
  await page.getByLabel('Body').fill('Dear {{ claim.owner.first_name }},\n\n{{ claim.pasenger }} claims {{ claim.amount }}.\n\n{{ link }}')
  await expect(page.getByText(/did you mean passenger/).first()).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText(/It cannot go live yet/)).toBeVisible()
  await page.getByLabel('Body').fill('Dear {{ claim.owner.first_name }},\n\n{{ claim.passenger | default: "Somebody" }} claims {{ claim.amount }}.\n\n{{ link }}')
  await expect(page.getByText(/to mend/)).toHaveCount(0)
  const brief = page.getByRole('list', { name: 'Brief of Vehicle claims' })
  await expect(brief.getByRole('button', { name: 'line 2, conditions, all of these hold' })).toBeVisible()
  await expect(brief.getByRole('button', { name: 'line 2.1, condition, kind is Vehicle damage' })).toBeVisible()
  await expect(brief.getByRole('button', { name: 'line 2.2, condition, amount is at least £250.00' })).toBeVisible()
  await expect(brief.getByRole('button', { name: 'line 3, email, its owner' })).toBeVisible()
  await page.keyboard.press('Control+s')
  await expect(page).toHaveURL(/\/workflows\/Vehicle%20claims$/)
  await expect(page.getByText('Draft, never live')).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
})

test('4: the mail is in the owner’s mailbox after the save, and the run tells what it looked at', async () => {
  await page.goto('/records/claims/new')
  await choose('Kind', 'Vehicle damage')
  await page.getByLabel('Amount').fill('320')
  await choose('Owner', 'Rafi Demir')
  await page.getByRole('button', { name: 'Add the claim' }).click()
  await expect
    .poll(async () => (await (await fetch(`${POST_ROOM}/messages?to=rafi.demir@ternsay-ferries.example&raw=false`)).json()).messages.at(-1)?.subject ?? '', {
      intervals: [20],
    })
    .toMatch(/Fähre beschädigt$/)
  await page.goto('/post-room?mailbox=rafi.demir%40ternsay-ferries.example')
  await page
    .getByRole('link', { name: /Fähre beschädigt/ })
    .first()
    .click()
  await expect(page.frameLocator('iframe[title="The message, rendered"]').getByText('Somebody claims £320.00.')).toBeVisible()
  await page.getByRole('tab', { name: 'Text' }).click()
  await expect(page.getByRole('tabpanel')).toContainText('Dear Rafi,')
  await page.getByRole('tab', { name: 'Source' }).click()
  await expect(page.getByRole('tabpanel')).toContainText('Auto-Submitted: auto-generated')
  await page.getByRole('tab', { name: 'Headers' }).click()
  await expect(page.getByRole('tabpanel')).toContainText('message-id')
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Download .eml' }).click()
  expect((await download).suggestedFilename()).toMatch(/\.eml$/)

  await page.goto('/runs?workflow=Vehicle+claims')
  await page.getByRole('link', { name: 'Vehicle claims' }).first().click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Vehicle claims, for CL-')
  await expect(page.getByText('held it was Vehicle damage')).toBeVisible()
  await expect(page.getByText('held it was £320.00')).toBeVisible()
  await expect(page.getByText('To rafi.demir@ternsay-ferries.example').first()).toBeVisible()
  await expect(page.getByText('Added by Maren Voss')).toBeVisible()
})

test('5: a change by psql or by the API fires just the same', async () => {
  const runs = async () => ((await api('GET', '/api/v1/runs?workflow=Vehicle%20claims')).body.runs as unknown as { record: number }[]).length
  const before = await runs()
  execFileSync('psql', [secret('database-url'), '-c', `insert into data.claims (kind, amount, owner) select 'Vehicle damage', 400, id from rappel.person where email like 'oona%'`])
  await expect.poll(runs).toBe(before + 1)
  const { status } = await api('POST', '/api/v1/records/claims', { kind: 'Vehicle damage', amount: '400.00' })
  expect(status).toBe(201)
  await expect.poll(runs).toBe(before + 2)
})

test('a live workflow is paused, and changes pass it by', async () => {
  await page.goto('/workflows/Vehicle%20claims')
  await page.getByRole('button', { name: 'Pause' }).click()
  await expect(page.getByText('Paused, version 1')).toBeVisible()
  const list = async () => ((await api('GET', '/api/v1/runs?workflow=Vehicle%20claims')).body.runs as unknown as object[]).length
  const before = await list()
  await api('POST', '/api/v1/records/claims', { kind: 'Vehicle damage', amount: 900 })
  await expect.poll(async () => (await (await fetch(`${BASE}/api/v1/health`)).json()).backlog).toBe(0)
  expect(await list()).toBe(before)
})
