import { expect, type Page, test } from '@playwright/test'
import { api, POST_ROOM } from './installation'
import { MAREN, sessionOf, signIn, TOVE } from './people'

const brief = (page: Page) => page.getByRole('list', { name: /^Brief of/ })
const line = (page: Page, name: RegExp | string) => brief(page).getByRole('button', { name })
const choose = async (page: Page, label: string, option: RegExp | string) => {
  await page.getByRole('combobox', { name: label, exact: true }).click()
  await page.getByRole('option', { name: option }).first().click()
}
const draftOf = async (name: string) => (await api('GET', `/api/v1/workflows/${encodeURIComponent(name)}`)).body.draft as unknown as Record<string, never>
const saved = (page: Page) => expect(page.getByText(/Edits not saved|Saving …/)).toHaveCount(0)

/** Types what a line says and takes the first that is offered. */
async function typeLine(page: Page, words: string): Promise<void> {
  await page.getByPlaceholder(/^Add a line/).fill(words)
  await page.keyboard.press('Enter')
}

test.beforeEach(async ({ page }) => signIn(page))
test.afterAll(async () => {
  for (const name of ['Built by hand', 'Claim: kind becomes Baggage', 'Two at once', 'Read in', 'Copy of Vessel', 'Moved about', 'Kept open'])
    await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

test('a starter opens as a finished draft at the line that still wants an answer', async ({ page }) => {
  await page.goto('/records/claims')
  await page.getByRole('button', { name: 'Tell somebody when …' }).click()
  await page.getByRole('menuitem', { name: 'kind becomes …' }).click()
  await expect(page.getByRole('region', { name: 'Editor of line 2.1' })).toBeVisible()
  await choose(page, 'Value', 'Baggage')
  await expect(page.getByRole('region', { name: 'To mend' })).toHaveCount(0)
  await saved(page)
  expect(await draftOf('Claim: kind becomes Baggage')).toMatchObject({
    conditions: { all: [{ field: 'kind', op: 'is', value: 'Baggage' }] },
    actions: [{ to: [{ field: 'owner' }] }],
  })
})

test('every kind of line is added by typing it, edited in place, and kept as one types', async ({ page }) => {
  await page.goto('/workflows/new?table=sailings')
  await page.getByLabel('Name of the workflow').fill('Built by hand')
  await typeLine(page, 'condition on status')
  await choose(page, 'Value', 'Late')
  await typeLine(page, 'group of conditions')
  await expect(line(page, /^line 2.2, conditions, any of these holds/)).toBeVisible()
  await line(page, /^line 2.2.1, condition/).click()
  await choose(page, 'Field', /^booked/)
  await choose(page, 'Holds when it', 'is at least')
  await page.getByRole('textbox', { name: 'Value', exact: true }).fill('10')
  await typeLine(page, 'bring in bookings of the sailing')
  await expect(line(page, 'line 3, bring in, bookings of the sailing, as bookings')).toBeVisible()
  await page.getByLabel('At most').fill('5')
  await expect(page.getByRole('complementary', { name: 'Evidence' }).getByText(/^bookings: \d+ in all/)).toBeVisible()
  await typeLine(page, 'value worked out')
  await page.getByLabel('Called').fill('share')
  await page.getByLabel('Formula').fill('if capacity > 0 then floor(100 * booked / capacity) else 0')
  await expect(page.getByText(/For the sample: \d+/)).toBeVisible()
  await typeLine(page, 'email its duty officer')
  await page.getByLabel('Subject').fill('{{ sailing.number }}: {{ share }} % booked')
  await page.getByLabel('Body').fill('{% for b in bookings %}{{ b.reference }} {% endfor %}')
  await typeLine(page, 'notice to the channel Quays')
  await page.getByLabel('Text', { exact: true }).fill('{{ sailing.number }} is late')
  await typeLine(page, 'task for somebody')
  await page.getByLabel('What is to be done').fill('Call the quay')
  await choose(page, 'By whom', /^duty officer/)
  await typeLine(page, 'choose by conditions')
  await line(page, /^line \d+\.1, branch/).click()
  await choose(page, 'Field', /^minutes late/)
  await choose(page, 'Holds when it', 'is more than')
  await page.getByRole('textbox', { name: 'Value', exact: true }).fill('60')
  await typeLine(page, 'update status of the sailing')
  await expect(line(page, /^line \d+\.1\.1, update/)).toBeVisible()
  await choose(page, 'Status', 'Cancelled')
  await expect(page.getByRole('region', { name: 'To mend' })).toHaveCount(0)
  await saved(page)
  expect(await draftOf('Built by hand')).toMatchObject({
    conditions: {
      all: [{ field: 'status', op: 'is', value: 'Late' }, { any: [{ field: 'booked', op: 'at least', value: 10 }] }],
    },
    bringIn: [{ name: 'bookings', list: 'bookings.sailing', limit: 5 }],
    values: [{ name: 'share', formula: 'if capacity > 0 then floor(100 * booked / capacity) else 0' }],
    actions: [
      { do: 'email', to: [{ field: 'duty_officer' }], subject: '{{ sailing.number }}: {{ share }} % booked' },
      { do: 'notice', channel: 'Quays', text: '{{ sailing.number }} is late' },
      { do: 'task', subject: 'Call the quay', owner: 'duty_officer' },
      { do: 'choose', branches: [{ when: { all: [{ field: 'minutes_late', op: 'more than', value: 60 }] }, actions: [{ do: 'update', set: { status: 'Cancelled' } }] }] },
    ],
  })
})

/** A workflow with two conditions and two emails, as it is at the beginning of a test. */
async function movedAbout(more: object = {}): Promise<object> {
  const action = (name: string) => ({ name, do: 'email', to: [{ field: 'owner' }], subject: name, body: 'B' })
  const document = {
    rappel: 'workflow/1',
    name: 'Moved about',
    table: 'claims',
    cue: { kind: 'record', on: ['changed'] },
    conditions: {
      all: [
        { field: 'amount', op: 'is filled' },
        { field: 'due', op: 'is filled' },
      ],
    },
    actions: [action('first'), action('second')],
    ...more,
  }
  await api('PUT', '/api/v1/workflows/Moved about', document)
  return document
}

test('lines are moved, indented, muted, doubled and removed by key, and every edit is undone', async ({ page }) => {
  const document = await movedAbout()
  await page.goto('/workflows/Moved%20about')
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
  await line(page, /^line 2.2, condition, due/).focus()
  await page.keyboard.press('Alt+ArrowUp')
  await expect(line(page, 'line 2.1, condition, due is filled')).toBeFocused()
  await page.keyboard.press('Alt+ArrowDown')
  await page.keyboard.press('Alt+ArrowRight')
  await expect(line(page, 'line 2.2.1, condition, due is filled')).toBeFocused()
  await page.keyboard.press('Alt+ArrowLeft')
  await page.keyboard.press('m')
  await expect(line(page, 'line 2.2, condition, due is filled, muted')).toBeVisible()
  await line(page, /^line 3, email/).click()
  await page.getByRole('button', { name: 'Double' }).click()
  await expect(line(page, /^line 5, email/)).toBeVisible()
  await line(page, /^line 5, email/).focus()
  await page.keyboard.press('Delete')
  await expect(line(page, /^line 5, email/)).toHaveCount(0)
  for (let i = 0; i < 9; i++) await page.keyboard.press('Control+z')
  await saved(page)
  expect(await draftOf('Moved about')).toEqual(document)
})

test('a line is dragged before another', async ({ page }) => {
  await movedAbout()
  await page.goto('/workflows/Moved%20about')
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
  await expect(page.getByText(/^It would have fired/)).toBeVisible() // its warnings stand at the lines and move them
  const place = async (name: RegExp) => (await line(page, name).boundingBox()) as { x: number; y: number; height: number }
  const [from, to] = [await place(/^line 4, email/), await place(/^line 3, email/)]
  await page.mouse.move(from.x - 8, from.y + from.height / 2)
  await page.mouse.down()
  await page.mouse.move(to.x, to.y + to.height / 2 + 20, { steps: 8 })
  await page.mouse.move(to.x, to.y + to.height / 2, { steps: 4 })
  await page.mouse.up()
  await expect(line(page, /^line 3, email/)).toContainText('second')
  await saved(page)
  expect(((await draftOf('Moved about')).actions as unknown as { name: string }[]).map((a) => a.name)).toEqual(['second', 'first'])
})

test('a line is copied from one brief and pasted into another', async ({ page, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write'])
  await movedAbout()
  await page.goto('/workflows/Offer%20above%201%2C000')
  await line(page, /^line \d+, choose/).click()
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 4, email/).focus()
  await page.keyboard.press('Control+v')
  await expect(line(page, /^line 5, choose/)).toBeVisible()
  await expect(line(page, /^line 5.1, branch/)).toBeVisible()
  await saved(page)
  expect(((await draftOf('Moved about')).actions as unknown as { do: string }[]).map((a) => a.do)).toEqual(['email', 'email', 'choose'])
})

test('a body is written formatted, with placeholders as words, and comes out as Liquid', async ({ page }) => {
  await movedAbout()
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 3, email/).click()
  await choose(page, 'Written as', 'formatted')
  const body = page.getByRole('textbox', { name: 'Body' })
  await body.click()
  await page.keyboard.press('Control+a')
  await page.keyboard.type('Dear ')
  await page.getByRole('button', { name: 'Placeholder for the text' }).click()
  await page.getByPlaceholder('Which? Type a part of its name').fill('owner’s first name')
  await page.keyboard.press('Enter')
  await expect(body.getByText('claim › owner › first name')).toBeVisible()
  await body.getByText('claim › owner › first name').click()
  await page.getByLabel('If blank, write').fill('colleague')
  await expect(body.getByText('claim › owner › first name, or “colleague”')).toBeVisible()
  await saved(page)
  const actions = (await draftOf('Moved about')).actions as unknown as { body: string; format: string }[]
  expect(actions[0]).toMatchObject({ format: 'rich', body: '<p>Dear {{ claim.owner.first_name | default: "colleague" }}</p>' })
  await choose(page, 'Written as', 'source')
  await expect(page.getByRole('textbox', { name: 'Body' })).toHaveText('<p>Dear {{ claim.owner.first_name | default: "colleague" }}</p>')
})

test('a table of rows, a condition on a paragraph and a button are set without any Liquid being written', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Moved about', {
    rappel: 'workflow/1',
    table: 'sailings',
    cue: { kind: 'record', on: ['changed'] },
    actions: [{ name: 'first', do: 'email', to: [{ field: 'duty_officer' }], subject: 'S', body: '', format: 'rich' }],
  })
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 2, email/).click()
  const body = page.getByRole('textbox', { name: 'Body' })
  await body.click()
  await page.keyboard.type('Dear all,')
  await choose(page, 'This paragraph is shown', 'only if sailing’s minutes late')
  await choose(page, 'This paragraph, how it compares', 'is more than')
  await page.getByRole('textbox', { name: 'This paragraph, value' }).fill('15')
  await body.press('Control+End')
  await page.keyboard.press('Enter')
  await choose(page, 'Put in more', 'table of bookings of the sailing')
  await expect(line(page, 'line 2, bring in, bookings of the sailing, as bookings')).toBeVisible()
  await body.getByText('booking › seats').click()
  await page.getByRole('button', { name: 'Remove the column' }).click()
  await body.press('Control+End')
  await page.getByRole('button', { name: 'Button', exact: true }).click()
  await expect(page.getByRole('region', { name: 'To mend' })).toHaveCount(0)
  await saved(page)
  const draft = (await draftOf('Moved about')) as unknown as { bringIn: object[]; actions: { body: string }[] }
  expect(draft.bringIn).toEqual([{ name: 'bookings', list: 'bookings.sailing' }])
  const bare = (draft.actions[0]?.body ?? '').replaceAll(/ style="[^"]*"/g, '')
  expect(bare).toBe(
    '{% if sailing.minutes_late > 15 %}<p>Dear all,</p>{% endif %}<table><tbody><tr><th>Reference</th><th>Passenger</th><th>Vehicle</th></tr>' +
      '{% for booking in bookings %}<tr><td>{{ booking.reference }}</td><td>{{ booking.passenger }}</td><td>{{ booking.vehicle }}</td></tr>{% endfor %}</tbody></table>' +
      '<p><a href="{{ link }}">Open the record</a></p>',
  )
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 3, email/).click()
  await expect(page.getByText('edited as its source')).toHaveCount(0)
  await expect(body.getByText('booking › vehicle')).toBeVisible()
})

test('a right side is a fixed value, a field, a day from today, whoever changed it, or a formula that is completed as one types', async ({ page }) => {
  await movedAbout({
    conditions: {
      all: [
        { field: 'due', op: 'at most' },
        { field: 'owner', op: 'is not' },
        { field: 'amount', op: 'more than' },
      ],
    },
  })
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 2.1, condition/).click()
  await choose(page, 'It is', 'a day, counted from today')
  await page.getByRole('textbox', { name: 'Value' }).fill('14')
  await line(page, /^line 2.2, condition/).click()
  await choose(page, 'It is', 'whoever changed it')
  await line(page, /^line 2.3, condition/).click()
  await choose(page, 'It is', 'a formula')
  await page.getByRole('textbox', { name: 'Value' }).click()
  await page.keyboard.type('2 * bef')
  await expect(page.getByRole('option', { name: /^before\.amount/ })).toBeVisible()
  await page.keyboard.type('ore.amount +')
  await expect(page.getByText('something is missing after its last word').first()).toBeVisible()
  await page.keyboard.type(' 5')
  await expect(page.getByRole('region', { name: 'To mend' })).toHaveCount(0)
  await saved(page)
  expect(await draftOf('Moved about')).toMatchObject({
    conditions: {
      all: [
        { field: 'due', op: 'at most', value: { today: 14 } },
        { field: 'owner', op: 'is not', value: { changedBy: true } },
        { field: 'amount', op: 'more than', value: { formula: '2 * before.amount + 5' } },
      ],
    },
  })
})

test('what the formatted view would lose is edited as its source, and is not touched', async ({ page }) => {
  const body = '<table style="width:100%">{% for f in change.fields limit: 2 %}<tr><td>{{ f.label }}</td></tr>{% endfor %}</table>'
  const document = await movedAbout({ actions: [{ name: 'first', do: 'email', to: [{ field: 'owner' }], subject: 'S', format: 'rich', body }] })
  await page.goto('/workflows/Moved%20about')
  await line(page, /^line 3, email/).click()
  await expect(page.getByText('edited as its source')).toBeVisible()
  await expect(page.getByRole('textbox', { name: 'Body' })).toHaveText(body)
  await page.keyboard.press('Escape')
  expect(await draftOf('Moved about')).toEqual(document)
})

test('two who edit the same draft are told, and nothing is overwritten silently', async ({ page, playwright }) => {
  const document = { rappel: 'workflow/1', name: 'Two at once', table: 'claims', cue: { kind: 'record', on: ['created'] }, actions: [] }
  await api('PUT', '/api/v1/workflows/Two at once', document)
  await page.goto('/workflows/Two%20at%20once')
  const tove = await sessionOf(playwright, TOVE)
  expect((await tove.put('/api/v1/workflows/Two at once', { data: { ...document, note: 'hers' } })).status()).toBe(200)
  await page.getByRole('button', { name: 'Add a condition' }).click()
  const told = page.getByRole('alert').filter({ hasText: 'Tove Lindqvist has saved this draft in the meantime' })
  await expect(told).toBeVisible()
  expect(await draftOf('Two at once')).toMatchObject({ note: 'hers' })
  await told.getByRole('button', { name: 'Put mine over it' }).click()
  await expect(told).toHaveCount(0)
  expect(await draftOf('Two at once')).toMatchObject({ conditions: { all: [{ field: '', op: 'is' }] } })
})

test('a trial is armed beside the dry run, and its runs arrive there', async ({ page, context }) => {
  await page.goto('/workflows/new?table=tasks&starter=added')
  await page.getByLabel('Name of the workflow').fill('Read in')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Trial', exact: true }).click()
  await page.getByRole('button', { name: 'for my changes' }).click()
  await expect(page.getByText('On trial')).toBeVisible()
  const other = await context.newPage()
  await other.goto('/records/tasks/new')
  const subject = `Paint the rail ${Date.now()}`
  await other.getByLabel('Subject').fill(subject)
  await choose(other, 'Owner', 'Rafi Demir')
  await other.getByRole('button', { name: 'Add the task' }).click()
  await expect(page.getByRole('list', { name: 'Runs of the trial' }).getByText(subject)).toBeVisible()
  const lines = page.getByRole('list', { name: 'What the run did, line by line' })
  await expect(lines.getByText(`To ${MAREN}`)).toBeVisible()
  await page.getByRole('button', { name: 'Read the mail' }).click()
  await expect(page.getByText(/Open the task/).first()).toBeVisible()
  await expect
    .poll(async () => ((await (await fetch(`${POST_ROOM}/messages?to=${MAREN}&limit=1000`)).json()) as { messages: { subject: string }[] }).messages.at(-1)?.subject)
    .toContain(subject)
  await page.getByRole('button', { name: 'End it', exact: true }).click()
  await expect(page.getByText('On trial')).toHaveCount(0)
})

test('a workflow goes out as YAML and comes in again; versions say what changed and can be gone back to', async ({ page }) => {
  await page.goto('/workflows/Enquiry%20handed%20over')
  await page.getByRole('button', { name: 'More' }).click()
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('menuitem', { name: 'Export it as YAML' }).click()])
  const path = await download.path()
  await page.goto('/workflows')
  await page.getByLabel('A workflow to import').setInputFiles({ name: 'w.yaml', mimeType: 'application/yaml', buffer: (await import('node:fs')).readFileSync(path) })
  await expect(page).toHaveURL(/Enquiry%20handed%20over%202/)
  const { name: _a, ...original } = await draftOf('Enquiry handed over')
  const { name: _b, ...copy } = await draftOf('Enquiry handed over 2')
  expect(copy).toEqual(original)
  await api('POST', '/api/v1/workflows/Enquiry handed over 2/live')
  await api('PUT', '/api/v1/workflows/Enquiry handed over 2', { ...copy, name: 'Enquiry handed over 2', firing: 'every' })
  await page.goto('/workflows/Enquiry%20handed%20over%202/versions')
  await expect(page.getByRole('list', { name: 'Differences' })).toContainText('every time')
  await page.getByRole('button', { name: 'Go back to it' }).click()
  await page.getByRole('button', { name: 'Make it the draft' }).click()
  await expect(page).toHaveURL(/over%202$/)
  expect((await draftOf('Enquiry handed over 2')).firing).toBeUndefined()
  await api('DELETE', '/api/v1/workflows/Enquiry handed over 2')
})

test('the list of workflows is searched, filtered in the address, and several are paused and resumed', async ({ page }) => {
  await page.goto('/workflows?state=live')
  const list = page.getByRole('list', { name: 'Workflows' })
  await expect(list.getByText('Draft', { exact: true })).toHaveCount(0)
  await page.getByLabel('Search').fill('enquiry')
  await expect(page).toHaveURL(/q=enquiry/)
  await expect(list.getByRole('listitem')).toHaveCount(2)
  await page.getByLabel('Choose Enquiry won').check()
  await page.getByLabel('Choose Enquiry handed over').check()
  await page.getByRole('button', { name: 'Pause the 2 live' }).click()
  await expect(page.getByText('2 workflows paused.')).toBeVisible()
  await choose(page, 'State', 'paused')
  await page.getByLabel('Choose Enquiry won').check()
  await page.getByLabel('Choose Enquiry handed over').check()
  await page.getByRole('button', { name: 'Resume the 2 paused' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Resume' }).click()
  await expect(page.getByText('2 workflows resumed.')).toBeVisible()
})

test('what is done again while its undoing is being saved is kept, though the page is left at once', async ({ page }) => {
  const name = 'Done again'
  await api('PUT', `/api/v1/workflows/${name}`, { rappel: 'workflow/1', name, table: 'claims', cue: { kind: 'record', on: ['created'] }, actions: [] })
  await page.goto(`/workflows/${encodeURIComponent(name)}`)
  await page.getByRole('button', { name: 'Add an email', exact: true }).click()
  await page.getByLabel('Subject').fill('A claim')
  await page.keyboard.press('Control+s')
  await expect(page.getByText('The draft is saved.')).toBeVisible()
  let begun = () => {}
  const isSaving = new Promise<void>((resolve) => {
    begun = resolve
  })
  await page.route('**/api/v1/workflows/**', async (route) => {
    if (route.request().method() === 'PUT') {
      begun()
      await new Promise((resolve) => setTimeout(resolve, 1_500))
    }
    await route.continue()
  })
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await isSaving
  await page.keyboard.press('Control+Shift+z')
  await expect(page.getByText('“A claim”').first()).toBeVisible()
  await page.getByRole('link', { name: 'Workflows', exact: true }).first().click()
  await expect(page.getByRole('heading', { name: 'Workflows' })).toBeVisible()
  const { draft } = await (await page.request.get(`/api/v1/workflows/${encodeURIComponent(name)}`)).json()
  expect(draft.actions).toMatchObject([{ subject: 'A claim' }])
})

test('edits, their undo and the focus outlive the first save; Back comes to the workflow that the address names', async ({ page }) => {
  await page.goto('/workflows/new?table=claims')
  const name = 'Kept open'
  await page.getByLabel('Name of the workflow').fill(name)
  await page.getByRole('button', { name: 'Add an email', exact: true }).click()
  await page.getByLabel('Subject').fill('A claim')
  await expect(page).toHaveURL(new RegExp(`${encodeURIComponent(name)}$`))
  await expect(page.getByLabel('Subject')).toBeFocused()
  await page.getByRole('button', { name: 'Save draft' }).waitFor()
  await page.keyboard.press('Control+s')
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await expect(page.getByText('“A claim”')).toHaveCount(0)
  await page.keyboard.press('Control+Shift+z')
  await expect(page.getByText('“A claim”').first()).toBeVisible()
  await page.getByRole('link', { name: 'Workflows', exact: true }).first().click()
  await expect(page.getByRole('heading', { name: 'Workflows' })).toBeVisible()
  await page.goBack()
  await expect(page.getByLabel('Name of the workflow')).toHaveValue(name)
  await expect(page.getByText('“A claim”').first()).toBeVisible()
})
