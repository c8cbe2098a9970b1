import { expect, type Page, test } from '@playwright/test'
import { api } from './installation'
import { RAFI, signIn } from './people'

const brief = (page: Page) => page.getByRole('list', { name: /^Brief of/ })
const choose = async (page: Page, label: string, option: RegExp | string) => {
  await page.getByRole('combobox', { name: label, exact: true }).click()
  await page.getByRole('option', { name: option }).first().click()
}
const saved = (page: Page) => expect(page.getByText(/Edits not saved|Saving …/)).toHaveCount(0)
const draftOf = async (name: string) => (await api('GET', `/api/v1/workflows/${encodeURIComponent(name)}`)).body.draft as unknown as Record<string, never>

test.beforeEach(async ({ page }) => signIn(page))

const MADE = ['Item: supplier becomes Harbour supply', 'Claim: status becomes Closed', 'Enquiry: stage becomes Lost', 'Live edit', 'Said for a template', 'Set at once', 'Ordered']
test.afterAll(async () => {
  for (const name of MADE) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
  await api('DELETE', '/api/v1/templates/Of%20a%20sailing')
})

test('a starter’s name and text follow its field and its recipient, whom one chooses takes the guess’s place, and lists of a linked record bring themselves in', async ({
  page,
}) => {
  await page.goto('/workflows/new?table=enquiries&starter=becomes%20stage%20Won')
  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Enquiry: stage becomes Won')
  await brief(page)
    .getByRole('button', { name: /^line 2.1/ })
    .click()
  await choose(page, 'Value', 'Lost')
  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Enquiry: stage becomes Lost')
  await brief(page).getByRole('button', { name: /email/ }).click()
  await choose(page, 'Add to To', /the email of each of the contacts of its company/)
  await expect(brief(page).getByRole('button', { name: 'line 3, bring in, contacts of the company, as contacts' })).toBeVisible()
  await saved(page)
  expect(await draftOf('Enquiry: stage becomes Lost')).toMatchObject({
    conditions: { all: [{ field: 'stage', op: 'is', value: 'Lost' }] },
    bringIn: [{ name: 'contacts', list: 'contacts.company', of: 'company' }],
    actions: [{ to: [{ list: 'contacts', field: 'email' }], body: expect.stringContaining('Dear {{ recipient.') }],
  })
})

test('a clause shows where records lie; the limit is moved on the picture, by key too, and the count follows', async ({ page }) => {
  await page.goto('/workflows/new?table=claims&starter=level%20amount')
  const picture = page.getByRole('region', { name: 'Where records lie' })
  await expect(picture).toBeVisible()
  await page.getByRole('textbox', { name: 'Value', exact: true }).fill('100')
  await expect(picture.getByText(/of [\d,]+ fit/)).toBeVisible()
  const count = async () => Number((await picture.getByRole('heading').innerText()).match(/([\d,]+) of/)?.[1]?.replace(',', ''))
  const before = await count()
  const limit = picture.getByRole('slider', { name: 'The limit' })
  await limit.focus()
  for (let i = 0; i < 4; i++) await page.keyboard.press('PageUp')
  await expect.poll(count).toBeLessThan(before)
  const { amount } = await page.evaluate(() => ({ amount: document.querySelector<HTMLInputElement>('input[aria-label="Value"]')?.value }))
  expect(Number(amount)).toBeGreaterThan(100)
  const where = encodeURIComponent(JSON.stringify({ field: 'amount', op: 'more than', value: Number(amount) }))
  const { body } = await api('GET', `/api/v1/records/claims?limit=1&count&where=${where}`)
  expect(await count()).toBe(Number(body.count))
})

test('a live workflow’s edit stands against what is live, and goes live with one press', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Live%20edit', {
    rappel: 'workflow/1',
    table: 'tasks',
    cue: { kind: 'record', on: ['deleted'] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: RAFI }], subject: 'Gone', body: 'Gone.', format: 'plain' }],
  })
  await api('POST', '/api/v1/workflows/Live%20edit/live', {})
  await page.goto('/workflows/Live%20edit')
  await brief(page).getByRole('button', { name: /email/ }).click()
  await page.getByLabel('Subject').fill('Gone for good')
  await expect(brief(page).getByText(/Gone” → “Gone for good”|“Gone” → /)).toBeVisible()
  await expect(page.getByRole('region', { name: 'Rehearsal' }).getByText(/same changes as the version that is live/)).toBeVisible()
  await expect(page.getByRole('region', { name: 'Rehearsal' })).toHaveAttribute('aria-busy', 'false')
  await page.getByRole('button', { name: 'Send the edit live' }).click()
  await expect(page.getByText('Live, version 2')).toBeVisible()
  await expect(page.getByRole('alertdialog')).toHaveCount(0)
})

test('a template goes through a list, is sent by saying when, and what it needs is brought in', async ({ page }) => {
  await api('PUT', '/api/v1/templates/Of%20a%20sailing', {
    table: 'sailings',
    subject: 'Bookings of {{ sailing.number }}',
    body: '<ul>{% for booking in bookings %}<li>{{ booking.reference }}</li>{% endfor %}</ul>',
    format: 'rich',
    priority: 'normal',
  })
  await page.goto('/templates/Of%20a%20sailing')
  await expect(page.getByText(/has no field|unknown/i)).toHaveCount(0)
  await page.getByRole('button', { name: 'Send this when …' }).click()
  await page.getByLabel('Send this when …').fill('it becomes Late, email its duty officer')
  await expect(page.getByText('template Of a sailing', { exact: true })).toBeVisible()
  await page.keyboard.press('Enter')
  await expect(page.getByLabel('Name of the workflow')).toBeVisible()
  await page.getByLabel('Name of the workflow').fill('Said for a template')
  await expect(page.getByRole('region', { name: 'To mend' })).toHaveCount(0)
  await saved(page)
  expect(await draftOf('Said for a template')).toMatchObject({
    table: 'sailings',
    bringIn: [{ name: 'bookings', list: 'bookings.sailing' }],
    actions: [{ template: 'Of a sailing', to: [{ field: 'duty_officer' }] }],
  })
})

test('a field and its value are set in one choice, a task is for somebody by name, and “{{” completes in the formatted text', async ({ page }) => {
  await page.goto('/workflows/new?table=enquiries')
  await page.getByLabel('Name of the workflow').fill('Set at once')
  await page.getByPlaceholder(/^Add a line/).fill('create an inspection')
  await page.keyboard.press('Enter')
  await choose(page, 'Set a field', /^inspector: Rafi Demir|: Rafi Demir/)
  await page.getByPlaceholder(/^Add a line/).fill('task for Rafi Demir in 3 days')
  await page.keyboard.press('Enter')
  await expect(brief(page).getByRole('button', { name: /task, for Rafi Demir, due 3 days on/ })).toBeVisible()
  await page.getByRole('button', { name: 'Add an email' }).click()
  const body = page.getByRole('textbox', { name: 'Body' })
  await expect(body).toContainText('Open the enquiry')
  await body.click()
  await page.keyboard.press('Control+Home')
  await page.keyboard.type('{{ enq num')
  await expect(page.getByRole('listbox', { name: 'Placeholders' })).toBeVisible()
  await page.keyboard.press('Enter')
  await page.keyboard.type(' and {{ enquiry.stage }}.')
  await expect(body.getByText('enquiry › stage')).toBeVisible()
  await saved(page)
  expect(await draftOf('Set at once')).toMatchObject({
    actions: [
      { do: 'create' },
      { do: 'task', owner: RAFI, due: { today: 3 } },
      { do: 'email', body: expect.stringMatching(/\{\{ enquiry\.number \}\} and \{\{ enquiry\.stage \}\}/) },
    ],
  })
})
