import { execFileSync } from 'node:child_process'
import { expect, type Page, test } from '@playwright/test'
import { api, secret } from './installation'
import { signIn } from './people'

/** Editing loses nothing: whatever is slow, gone, ended or done by others meanwhile. */

const draft = (name: string, parts: object = {}) => ({
  rappel: 'workflow/1',
  name,
  table: 'claims',
  cue: { kind: 'record', on: ['created', 'changed'] },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: '<p>B</p>', format: 'rich' }],
  ...parts,
})

async function openBrief(page: Page, name: string, parts: object = {}): Promise<void> {
  expect((await api('PUT', `/api/v1/workflows/${encodeURIComponent(name)}`, draft(name, parts))).status).toBe(200)
  await signIn(page)
  await page.goto(`/workflows/${encodeURIComponent(name)}`)
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
}

const kept = async (name: string) =>
  (await api('GET', `/api/v1/workflows/${encodeURIComponent(name)}`)).body.draft as unknown as { note?: string; actions: { subject: string; body: string }[] }
const line = (page: Page, name: RegExp) => page.getByRole('button', { name })

/** Opens the email's line; what the past says may arrive and move it away while it is clicked. */
const openEmail = (page: Page) =>
  expect(async () => {
    const editor = page.getByRole('region', { name: /^Editor of line/ })
    if (!(await editor.isVisible())) await line(page, /email, /).click()
    await expect(editor).toBeVisible({ timeout: 2_000 })
  }).toPass({ timeout: 60_000 })
const forget = () => execFileSync('psql', [secret('database-url'), '-qc', `update rappel.session set last_seen_at = now() - interval '1 day'`])

/** What was refused by the server while a page was used. */
function refusals(page: Page): string[] {
  const refused: string[] = []
  page.on('response', (r) => r.status() >= 400 && refused.push(`${r.status()} ${r.request().method()} ${r.url()}`))
  return refused
}

test('saves go one after the other, however slow the answers, and one’s own is never taken for somebody else’s', async ({ page }) => {
  await openBrief(page, 'Slow answers')
  let flying = 0
  let most = 0
  await page.route('**/api/v1/workflows/Slow%20answers', async (route) => {
    if (route.request().method() !== 'PUT') return route.continue()
    most = Math.max(most, ++flying)
    const response = await route.fetch()
    await new Promise((resolve) => setTimeout(resolve, 3_000))
    flying--
    await route.fulfill({ response })
  })
  await openEmail(page)
  const subject = page.getByRole('textbox', { name: 'Subject' })
  for (const text of ['First', 'Second', 'Third']) {
    await subject.fill(text)
    await page.waitForTimeout(1_600) // longer than the wait after typing, shorter than the answer
  }
  await expect.poll(async () => (await kept('Slow answers')).actions[0]?.subject).toBe('Third')
  await expect(page.getByText('Edits not saved')).toHaveCount(0)
  await page.waitForTimeout(9_000) // one look at what is kept goes by
  await expect(page.getByText(/has saved|in the meantime/)).toHaveCount(0)
  expect(most).toBe(1)
})

test('sent live while it is still being asked how it stands, a workflow is shown as live', async ({ page }) => {
  await openBrief(page, 'Live at once')
  let asked = 0
  await page.route('**/api/v1/workflows/Live%20at%20once', async (route) => {
    if (route.request().method() !== 'GET') return route.continue()
    const response = await route.fetch()
    if (++asked === 1) await new Promise((resolve) => setTimeout(resolve, 3_000)) // it answers how it stood before
    await route.fulfill({ response })
  })
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  expect((await api('DELETE', '/api/v1/workflows/Live%20at%20once')).status).toBe(204)
})

test('what another tab saves is noticed, by whom, and nothing is overwritten', async ({ page, context }) => {
  await openBrief(page, 'Two tabs')
  const other = await context.newPage()
  await other.goto('/workflows/Two%20tabs')
  await openEmail(other)
  await other.getByRole('textbox', { name: 'Subject' }).fill('From the other tab')
  await expect.poll(async () => (await kept('Two tabs')).actions[0]?.subject).toBe('From the other tab')
  await openEmail(page)
  await page.getByRole('textbox', { name: 'Subject' }).fill('From this tab')
  await expect(
    page
      .getByText(/Maren Voss/)
      .filter({ hasText: /saved|meantime/ })
      .first(),
  ).toBeVisible()
  expect((await kept('Two tabs')).actions[0]?.subject).toBe('From the other tab')
})

test('with the network gone what is edited stays, leaving asks, and it is kept once the network is back', async ({ page, context }) => {
  await openBrief(page, 'Network gone')
  await page.goto('/workflows')
  await page.getByRole('link', { name: 'Network gone' }).click()
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
  await openEmail(page)
  await context.setOffline(true)
  await page.getByRole('textbox', { name: 'Subject' }).fill('Typed while nothing answers')
  await page.getByRole('link', { name: 'Today' }).click()
  const question = page.getByRole('alertdialog')
  await expect(question).toContainText('Leave without keeping it?')
  await question.getByRole('button', { name: 'Stay here' }).click()
  await expect(page).toHaveURL(/Network%20gone/)
  await expect(page.getByRole('textbox', { name: 'Subject' })).toHaveValue('Typed while nothing answers')
  await page.evaluate(() => window.history.back())
  await expect(question).toContainText('Leave without keeping it?')
  await question.getByRole('button', { name: 'Stay here' }).click()
  await context.setOffline(false)
  await expect.poll(async () => (await kept('Network gone')).actions[0]?.subject).toBe('Typed while nothing answers')
  await page.getByRole('link', { name: 'Today' }).click()
  await expect(page).toHaveURL(/\/$/)
})

test('what is typed is kept before the page is left, without asking, where it can be', async ({ page }) => {
  await openBrief(page, 'Left quickly')
  await openEmail(page)
  await page.getByRole('textbox', { name: 'Subject' }).fill('Typed last')
  await page.getByRole('link', { name: 'Runs' }).click()
  await expect(page).toHaveURL(/\/runs/)
  expect((await kept('Left quickly')).actions[0]?.subject).toBe('Typed last')
})

test('a session that ends while a draft is edited asks for the password over the page and goes on', async ({ page }) => {
  await openBrief(page, 'Session ended')
  await openEmail(page)
  forget()
  await page.getByRole('textbox', { name: 'Subject' }).fill('Typed after the session ended')
  const dialog = page.getByRole('dialog').filter({ hasText: 'Your session has ended' })
  await dialog.getByLabel('Password').fill('ternsay')
  await page.keyboard.press('Enter')
  await expect.poll(async () => (await kept('Session ended')).actions[0]?.subject).toBe('Typed after the session ended')
  await expect(page).toHaveURL(/Session%20ended/)
  await expect(page.getByRole('textbox', { name: 'Subject' })).toHaveValue('Typed after the session ended')
})

test('after a placeholder is put in, one types on behind it, and no letter is taken for a key', async ({ page }) => {
  await openBrief(page, 'Typed on')
  await openEmail(page)
  const body = page.getByRole('textbox', { name: 'Body' })
  await body.click()
  await page.keyboard.press('ControlOrMeta+End')
  await page.keyboard.type('Claim ')
  await page.getByRole('button', { name: 'Placeholder for the text' }).focus()
  await page.keyboard.press('Enter')
  await page.keyboard.type('claim’s number')
  await page.keyboard.press('Enter')
  await expect(body).toBeFocused()
  await page.keyboard.type(' my tray, yours t')
  await expect.poll(async () => (await kept('Typed on')).actions[0]?.body).toContain('Claim {{ claim.number }} my tray, yours t')
  await expect(page).toHaveURL(/Typed%20on$/)
  expect((await api('GET', '/api/v1/workflows/Typed%20on/trial')).body.trial ?? null).toBeNull()
})

test('a single letter acts on a line that is plainly selected, not on a button of the editor', async ({ page }) => {
  await openBrief(page, 'Letters')
  await openEmail(page)
  await page.getByRole('button', { name: 'Double' }).focus()
  for (const key of ['m', 'y', 't', 'Delete', 'g', 'w', 'c', 'a']) await page.keyboard.press(key)
  await expect(page).toHaveURL(/Letters$/)
  await page.waitForTimeout(1_500)
  expect(((await kept('Letters')) as object & { actions: object[] }).actions).toEqual(draft('Letters').actions)
})

test('a line that is not finished is kept, counts as something to mend in words, and keeps the rest of the margin alive', async ({ page }) => {
  await openBrief(page, 'Unfinished')
  const refused = refusals(page)
  for (const words of ['bring in something else', 'value worked out by a formula', 'create a claim', 'choose by conditions', 'notice to people', 'task for somebody']) {
    await page.getByPlaceholder(/Add a line/).fill(words)
    await page.getByRole('option', { name: words }).first().click()
    await page.keyboard.press('Escape')
  }
  await expect(page.getByRole('region', { name: 'To mend' })).toBeVisible()
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
  const text = await page.getByRole('region', { name: 'To mend' }).innerText()
  expect(text).not.toMatch(/\[\d+\]|required field|is not an object|undefined|""/)
  await page.waitForTimeout(3_000)
  expect(refused).toEqual([])
  expect((await kept('Unfinished')).actions.length).toBe(5)
})

test('a template, a person and a new record that were typed into ask before they are left', async ({ page }) => {
  await signIn(page)
  const question = page.getByRole('alertdialog')
  const leave = async (typed: () => Promise<void>) => {
    await typed()
    await page.getByRole('link', { name: 'Runs' }).click()
    await expect(question).toContainText('Leave without keeping it?')
    await question.getByRole('button', { name: 'Stay here' }).click()
    await page.keyboard.press('ControlOrMeta+k')
    await page.getByPlaceholder(/A workflow, a record/).fill('today')
    await page.getByRole('option', { name: /Today/ }).click()
    await expect(question).toContainText('Leave without keeping it?')
    await question.getByRole('button', { name: 'Leave it' }).click()
    await expect(page).toHaveURL(/\/$/)
  }
  await leave(async () => {
    await page.goto('/templates/Charter%20agreed')
    await page.getByRole('textbox', { name: 'Subject' }).fill('Typed and not kept')
  })
  await leave(async () => {
    await page.goto('/people')
    await page.getByRole('button', { name: /Rafi Demir/ }).click()
    await page.getByLabel('Phone').fill('+44 1632 960 999')
  })
  await leave(async () => {
    await page.goto('/records/claims/new')
    await page.getByLabel('Amount').fill('12')
    await page.keyboard.press('Tab')
  })
  const { templates } = (await api('GET', '/api/v1/templates')).body as unknown as { templates: { name: string; subject: string }[] }
  expect(templates.find((t) => t.name === 'Charter agreed')?.subject).not.toBe('Typed and not kept')
})

test.describe('by keys alone, from Enter to Enter', () => {
  let id: number
  test.beforeEach(async ({ page }) => {
    id = Number((await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 5, status: 'New' })).body.id)
    await signIn(page)
  })
  const record = async () => (await api('GET', `/api/v1/records/claims/${id}`)).body

  /** Goes to a cell of the grid's first row by its column's name. */
  async function toColumn(page: Page, name: string): Promise<void> {
    const names = (await page.getByRole('columnheader').allInnerTexts()).slice(1) // the boxes come first
    const column = names.findIndex((n) => n.trim().toLowerCase().startsWith(name.toLowerCase()))
    expect(column).toBeGreaterThan(0)
    await page.getByRole('grid').focus()
    for (let i = 0; i < column; i++) await page.keyboard.press('ArrowRight')
  }

  test('in the grid: a choice, a person, a link; Esc gives up', async ({ page }) => {
    await page.goto(`/records/claims?where=${encodeURIComponent(JSON.stringify({ field: 'id', op: 'is', value: id }))}`)
    await expect(page.getByRole('gridcell', { name: '£5.00', exact: true })).toBeVisible()
    await toColumn(page, 'Status')
    await page.keyboard.press('Enter')
    await expect(page.getByRole('option').first()).toBeVisible()
    await page.keyboard.type('In')
    await expect(page.getByRole('option', { name: 'In review' })).toBeFocused()
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await record()).status).toBe('In review')
    await expect(page.getByRole('grid')).toBeFocused()
    await page.keyboard.press('Enter')
    await page.keyboard.press('ArrowDown')
    await page.keyboard.press('Escape')
    await expect(page.getByRole('grid')).toBeFocused()
    expect((await record()).status).toBe('In review')
    for (let i = 0; i < 20; i++) await page.keyboard.press('ArrowLeft')
    await toColumn(page, 'Owner')
    await page.keyboard.press('Enter')
    await expect(page.getByRole('option').first()).toBeVisible()
    await page.keyboard.type('Oona')
    await expect(page.getByRole('option', { name: /^Oona/ })).toHaveAttribute('aria-selected', 'true') // of many, found by typing
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await record()).owner).not.toBeNull()
    for (let i = 0; i < 20; i++) await page.keyboard.press('ArrowLeft')
    await toColumn(page, 'Passenger')
    await page.keyboard.press('Enter')
    await expect(page.getByPlaceholder(/Find a passenger/)).toBeFocused()
    await expect(page.getByRole('option').first()).toBeVisible()
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await record()).passenger).not.toBeNull()
    await expect(page.getByRole('grid')).toBeFocused()
  })

  test('on the record’s page: a choice and a link, and the focus stays at the field', async ({ page }) => {
    await page.goto(`/records/claims/${id}`)
    await page.getByRole('button', { name: /Edit Status/ }).focus()
    await page.keyboard.press('Enter')
    await expect(page.getByRole('option').first()).toBeVisible()
    await page.keyboard.type('In')
    await expect(page.getByRole('option', { name: 'In review' })).toBeFocused()
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await record()).status).toBe('In review')
    await expect(page.getByRole('button', { name: 'Edit Status, now In review' })).toBeFocused()
    await page.getByRole('button', { name: /Edit Passenger/ }).focus()
    await page.keyboard.press('Enter')
    await expect(page.getByRole('option').first()).toBeVisible()
    await page.keyboard.press('Escape')
    expect((await record()).passenger).toBeNull()
    await expect(page.getByRole('button', { name: /Edit Passenger/ })).toBeFocused()
  })

  test('a value that is refused stands there to be mended', async ({ page }) => {
    await page.goto(`/records/claims/${id}`)
    await page.getByRole('button', { name: /Edit Amount/ }).click()
    await page.getByRole('textbox', { name: 'Amount' }).fill('a lot')
    await page.keyboard.press('Enter')
    await expect(page.getByText(/Amount takes a number/)).toBeVisible()
    await expect(page.getByRole('textbox', { name: 'Amount' })).toHaveValue('a lot')
  })
})

test('a record made just now shows its run and mail in its timeline without reloading, and the grid what comes of it', async ({ page }) => {
  const name = 'Told at once'
  await api('PUT', `/api/v1/workflows/${encodeURIComponent(name)}`, {
    ...draft(name, { cue: { kind: 'record', on: ['created'] }, conditions: { field: 'amount', op: 'is', value: 777 } }),
    actions: [
      { name: 'tell', do: 'email', to: [{ address: 'desk@example.org' }], subject: 'S', body: 'B' },
      { name: 'note', do: 'update', set: { status: 'In review' } },
    ],
  })
  await api('POST', `/api/v1/workflows/${encodeURIComponent(name)}/live`)
  try {
    await signIn(page)
    await page.goto('/records/claims/new')
    await page.getByRole('combobox', { name: 'Kind' }).click()
    await page.getByRole('option', { name: 'Refund' }).click()
    await page.getByLabel('Amount').fill('777')
    await page.getByLabel('Letter').setInputFiles({ name: 'letter.txt', mimeType: 'text/plain', buffer: Buffer.from('what they wrote') })
    await expect(page.getByText('letter.txt')).toBeVisible()
    await page.getByRole('button', { name: 'Add the claim' }).click()
    await expect(page).toHaveURL(/\/records\/claims\/\d+$/)
    expect((await api('GET', `/api/v1${new URL(page.url()).pathname}`)).body.letter).toEqual(expect.any(Number))
    await expect(page.getByRole('link', { name }).first()).toBeVisible()
    await expect(page.getByText('to desk@example.org').first()).toBeVisible()
    const filter = encodeURIComponent(JSON.stringify({ all: [{ field: 'amount', op: 'is', value: 777 }] }))
    await page.goto(`/records/claims?where=${filter}`)
    await expect(page.getByText(/1 that fit/)).toBeVisible()
    await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 777 })
    await expect(page.getByText(/2 that fit/)).toBeVisible()
    await expect(page.getByRole('gridcell', { name: 'In review' })).toHaveCount(2)
  } finally {
    await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
  }
})

test('the question before going live says what the past would have sent, and what is to be considered', async ({ page }) => {
  await openBrief(page, 'Asked before', {
    firing: 'every',
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B' }],
  })
  const warning = page.getByRole('list', { name: /^Brief of/ }).getByText(/^It would have fired several times/)
  await expect(warning).toBeVisible()
  const [consider = ''] = (await warning.innerText()).split('\n')
  await page.getByRole('button', { name: 'Send it live' }).click()
  const question = page.getByRole('alertdialog')
  await expect(question).toContainText(/By the last 30 days it fires [\d,]+ times? a month, and sends [\d,]+ mails?/)
  await expect(question.getByRole('list', { name: 'Who would get most' }).getByRole('listitem').first()).toContainText(/@.*mails? in 30 days/)
  await question.getByText(/^One of them:/).click()
  await expect(question.getByRole('article')).toBeVisible()
  await expect(question.getByRole('list', { name: 'To consider' })).toContainText(consider)
  await question.getByRole('button', { name: 'Not yet' }).click()
})
