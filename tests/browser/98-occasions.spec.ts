import { expect, type Page, test } from '@playwright/test'
import { api, subjectsTo } from './installation'
import { signIn, signInOnPage, TOVE } from './people'

const choose = async (page: Page, label: string, option: string | RegExp) => {
  await page.getByRole('combobox', { name: label, exact: true }).last().click()
  await page.getByRole('option', { name: option }).first().click()
}

test.afterAll(async () => {
  for (const name of ['Note to passengers', 'Claims: status is none of Settled or Closed', 'Stuck claims']) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

test('by hand, from Today to the mail read: an administrator makes it, a colleague chooses nine bookings, answers, sees who gets what, and presses Enter', async ({
  page,
  browser,
}) => {
  await signInOnPage(page)
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Workflows' }).click()
  await page.getByRole('link', { name: 'Make a workflow' }).click()
  await page.getByLabel('Name of the workflow').fill('Note to passengers')
  await choose(page, 'Records of', 'Bookings')
  await choose(page, 'Set off by', 'somebody, by hand')
  for (const [label, type] of [
    ['Note', 'long text'],
    ['Also to', 'addresses'],
    ['Answer by', /^date$/],
  ] as const) {
    await page.getByRole('button', { name: 'Add a question' }).click()
    await page.getByRole('textbox', { name: 'Question' }).last().fill(label)
    await choose(page, 'Answered with', type)
    if (label === 'Note') await page.getByRole('checkbox', { name: 'required' }).last().check()
  }
  await expect(page.getByText('{{ asked.also_to }}')).toBeVisible()
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Add an email', exact: true }).click()
  await choose(page, 'Add to To', 'its passenger’s email')
  await choose(page, 'Add to Cc', 'the answer to “also to”')
  await page.getByLabel('Subject').fill('About {{ booking.reference }}')
  await page.getByLabel('Body').fill('{{ asked.note }}\n\n{{ change.by.name }}')
  await expect(page.getByText(/to mend/)).toHaveCount(0)
  await page.getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByRole('alertdialog').getByText('From this moment it can be run by hand')).toBeVisible()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()

  // a sailing of its own with nine bookings, two of whose passengers have no address
  const post = async (table: string, body: object) => (await api('POST', `/api/v1/records/${table}`, body)).body.id as unknown as number
  const sailing = await post('sailings', { route: 'Holm – Brae', status: 'Planned' })
  const passengers: number[] = []
  for (let i = 0; i < 9; i++) passengers.push(await post('passengers', { name: `Passenger ${i}`, first_name: `P${i}`, ...(i < 7 ? { email: `nine${i}@example.org` } : {}) }))
  for (const passenger of passengers) await post('bookings', { sailing, passenger })

  const colleague = await (await browser.newContext()).newPage()
  await signIn(colleague, TOVE)
  await colleague.goto(`/records/bookings?where=${encodeURIComponent(JSON.stringify({ field: 'sailing', op: 'is', value: sailing }))}`)
  await expect(colleague.getByText('9 that fit')).toBeVisible()
  const boxes = colleague.getByRole('grid').getByRole('checkbox')
  await boxes.first().click()
  await boxes.nth(8).click({ modifiers: ['Shift'] })
  const bar = colleague.getByRole('region', { name: 'Chosen' })
  await expect(bar.getByText('9 chosen')).toBeVisible()
  await bar.getByRole('button', { name: 'Note to passengers' }).click()
  const sheet = colleague.getByRole('dialog')
  await expect(sheet.getByText('For 9 bookings')).toBeVisible()
  await sheet.getByLabel('Note').fill('The gate closes ten minutes early.')
  await sheet.getByLabel('Also to').fill('harbour@example.org; nobody')
  await expect(sheet.getByText('“nobody” is not an e-mail address')).toBeVisible()
  await sheet.getByLabel('Also to').fill('harbour@example.org, , harbour@example.org')
  const would = sheet.getByRole('region', { name: 'What it would do' })
  await expect(would.getByText('9 runs, 7 mails to 8 addresses.')).toBeVisible()
  await expect(would.getByText(/stands there twice and is kept once/)).toBeVisible()
  await expect(would.getByRole('listitem').filter({ hasText: /gives no address/ })).toHaveCount(2)
  await expect(would.frameLocator('iframe').first().getByText('The gate closes ten minutes early.')).toBeVisible()
  await sheet.getByLabel('Answer by').fill('2026-12-24')
  await sheet.getByLabel('Answer by').press('Enter')
  await expect(colleague.getByText('Note to passengers: 9 runs under way.')).toBeVisible()
  await expect.poll(async () => (await subjectsTo('nine0@example.org')).length).toBe(1)
  await expect.poll(async () => (await subjectsTo('harbour@example.org')).filter((s) => s.startsWith('About BK-')).length).toBe(7)

  const { body } = await api('GET', `/api/v1/runs?workflow=${encodeURIComponent('Note to passengers')}`)
  const runs = body.runs as unknown as { id: number; kind: string; why: string; occasion: { by: { name: string }; asked: { note: string } } }[]
  expect(runs).toHaveLength(9)
  expect(runs[0]).toMatchObject({
    kind: 'press',
    why: 'Tove Lindqvist ran it by hand.',
    occasion: { by: { name: 'Tove Lindqvist' }, asked: { note: 'The gate closes ten minutes early.' } },
  })
  await page.goto(`/runs/${runs[0]?.id}`)
  await expect(page.getByRole('region', { name: 'What set it off' }).getByText('The gate closes ten minutes early.')).toBeVisible()
  await page.goto('/post-room?mailbox=nine0%40example.org')
  await page
    .getByRole('link', { name: /About BK-/ })
    .first()
    .click()
  await expect(page.frameLocator('iframe[title="The message, rendered"]').getByText('The gate closes ten minutes early.')).toBeVisible()
  await colleague.context().close()
})

test('the palette runs it for the bookings of a sailing; one booking’s page runs it too', async ({ page }) => {
  await signIn(page)
  const { body } = await api('GET', '/api/v1/records/bookings?limit=1&order=id')
  const [booking] = body.records as unknown as { id: number; sailing: number; reference: string }[]
  const sailing = (await api('GET', `/api/v1/records/sailings/${booking?.sailing}`)).body as unknown as { number: string }
  await page.goto('/')
  await page.keyboard.press('Control+k')
  await page.getByPlaceholder(/A workflow, a record/).fill(`word to passengers for ${sailing.number}`)
  await page.getByRole('option', { name: `Word to passengers for ${sailing.number}` }).click()
  await expect(page.getByRole('dialog').getByText(new RegExp(`^For \\d+ bookings? of ${sailing.number}$`))).toBeVisible()
  await page.getByRole('button', { name: 'Not now' }).click()
  await page.goto(`/records/bookings/${booking?.id}`)
  await page.getByRole('button', { name: 'Word to passengers' }).click()
  await expect(page.getByRole('dialog').getByText(`For ${booking?.reference}`)).toBeVisible()
})

test('by the clock, from Today to the mail read: a starter, what is open, each owner’s list at the next minute', async ({ page }) => {
  test.setTimeout(180_000)
  await signInOnPage(page)
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Records' }).click()
  await page.waitForURL('**/records')
  await page.getByRole('link', { name: /^Claims/ }).click()
  await page.getByRole('button', { name: 'Tell somebody when …' }).click()
  await page.getByRole('menuitem', { name: 'every morning, what is open' }).click()
  for (const value of ['Settled', 'Closed']) await page.getByRole('checkbox', { name: value }).check()
  const brief = page.getByRole('list', { name: /^Brief of/ })
  await brief.getByRole('button', { name: /^line 1, cue/ }).click()
  await page.getByRole('textbox', { name: 'When' }).fill('every minute')
  await expect(page.getByRole('list', { name: 'The next times' }).getByRole('listitem')).toHaveCount(5)
  await expect(page.getByText(/claims fit now/)).toBeVisible()
  await expect(page.getByRole('region', { name: 'Rehearsal' }).getByText('It would have come')).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  await expect
    .poll(async () => (await subjectsTo('rafi.demir@ternsay-ferries.example')).some((s) => /^Your claims: \d+$/.test(s)), { timeout: 90_000, intervals: [500] })
    .toBe(true)
  await page.getByRole('button', { name: 'Pause' }).click()
  await expect(page.getByText('Paused, version 1')).toBeVisible()
  await page.goto('/post-room?mailbox=rafi.demir%40ternsay-ferries.example')
  await page
    .getByRole('link', { name: /^.*Your claims: \d+/ })
    .first()
    .click()
  await expect(
    page
      .frameLocator('iframe[title="The message, rendered"]')
      .getByText(/^CL-\d+, status (New|In review|Offer made)$/)
      .first(),
  ).toBeVisible()
})

test('staying so is typed as a line; the record’s page says what waits, and calls it off', async ({ page }) => {
  test.setTimeout(120_000)
  await signIn(page)
  await page.goto('/workflows/new?table=claims')
  await page.getByLabel('Name of the workflow').fill('Stuck claims')
  await page.keyboard.press('Escape')
  await page.getByPlaceholder(/^Add a line/).fill('in review for 5 days')
  await page.getByRole('option', { name: /stays so for 5 days.*status is In review/ }).click()
  const brief = page.getByRole('list', { name: 'Brief of Stuck claims' })
  await expect(brief.getByRole('button', { name: /^line 1, cue, .*created or changed.*stays so for 5 days$/ })).toBeVisible()
  await expect(brief.getByRole('button', { name: /condition, status is In review$/ })).toBeVisible()
  await page.getByRole('button', { name: 'Add an email', exact: true }).click()
  await choose(page, 'Add to To', 'its owner')
  await page.getByLabel('Subject').fill('{{ claim.number }}')
  await page.getByLabel('Body').fill('Since {{ stay.since }}')
  await expect(page.getByRole('region', { name: 'Rehearsal' }).getByText(/times it became true/)).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByRole('alertdialog').getByText(/fits? now: count from now/)).toBeVisible()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  const { body } = await api('POST', '/api/v1/records/claims', { kind: 'Refund', status: 'In review' })
  const id = body.id as unknown as number
  await expect.poll(async () => ((await api('GET', `/api/v1/stays?table=claims&record=${id}&open=true`)).body.stays as unknown as object[]).length).toBeGreaterThan(0)
  await page.goto(`/records/claims/${id}`)
  const waits = page.getByRole('region', { name: 'Waits to have stayed so' })
  await expect(waits.getByRole('link', { name: 'Stuck claims' })).toBeVisible()
  await waits.getByRole('button', { name: 'Call off the wait of Stuck claims' }).click()
  await expect(waits.getByRole('link', { name: 'Stuck claims' })).toHaveCount(0)
})

test('the API: what is wrong with a press, a timetable or a wait is said, and nothing runs', async () => {
  const run = (body: object, name = 'Word to passengers') => api('POST', `/api/v1/workflows/${encodeURIComponent(name)}/run`, body)
  const press = '11111111-2222-4333-8444-555555555555'
  expect((await run({ press, records: [999_999], asked: { note: 'x' } })).status).toBe(404)
  expect((await run({ press, records: [1], asked: {} })).body.problems).toMatchObject([{ path: '/asked/note', code: 'required' }])
  expect((await run({ press: 'soon', records: [1] })).status).toBe(422)
  expect((await run({ press, records: [1] }, 'Offer above 1,000')).status).toBe(409)
  expect((await run({ press, records: [1] }, 'Nothing of the kind')).status).toBe(404)
  const timetable = (cron: string) => ({
    rappel: 'workflow/1',
    name: 'Never',
    table: 'claims',
    cue: { kind: 'timetable', cron, per: 'all' },
    conditions: { all: [{ field: 'status', op: 'changed' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: '{{ change.by.name }}', format: 'plain' }],
  })
  const { body } = await api('PUT', '/api/v1/workflows/Never', timetable('0 0 30 2 *'))
  const found = body.review as unknown as { level: string; path: string; message: string }[]
  expect(found.filter((f) => f.level === 'error').map((f) => f.path)).toEqual(
    expect.arrayContaining(['/cue/cron', '/conditions', '/actions/0/to/0/field', '/actions/0/subject', '/actions/0/body']),
  )
  expect(found.find((f) => f.path === '/actions/0/to/0/field')?.message).toMatch(/no one claim/)
  expect((await api('POST', '/api/v1/workflows/Never/live')).status).toBe(409)
  await api('DELETE', '/api/v1/workflows/Never')
})
