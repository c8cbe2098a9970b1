import { expect, test } from '@playwright/test'
import { api } from './installation'
import { RAFI, sessionOf, signIn } from './people'

test.afterAll(async () => {
  await api('DELETE', '/api/v1/workflows/Exemplary')
  await api('DELETE', '/api/v1/workflows/Failing')
})

const draft = {
  rappel: 'workflow/1',
  name: 'Exemplary',
  table: 'sailings',
  cue: { kind: 'record', on: ['changed'] },
  conditions: { all: [{ field: 'status', op: 'is', value: 'Cancelled' }] },
  actions: [{ name: 'tell', do: 'email', to: [{ group: 'Directors' }], subject: '{{ sailing.number }} is cancelled', body: 'It was {{ before.status }}.' }],
}

test('a dry run is kept as an example; an edit that breaks it is told at once, and goes live only with a reason', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Exemplary', draft)
  await signIn(page)
  await page.goto('/workflows/Exemplary/dry-run')
  await page.getByRole('combobox', { name: 'Status' }).click()
  await page.getByRole('option', { name: 'Cancelled' }).click()
  const told = page.getByRole('region', { name: 'What it would do' })
  await expect(told.getByText('It fires.')).toBeVisible()
  await page.getByRole('button', { name: 'Keep it as an example' }).click()
  const form = page.getByRole('region', { name: 'Example' })
  await form.getByLabel('Name').fill('A cancelled sailing reaches the directors')
  await expect(form.getByLabel('Mail goes to, one address a line')).toHaveValue('sunniva.hald@ternsay-ferries.example\nanselm.ekwueme@ternsay-ferries.example')
  await form.getByLabel('A subject contains', { exact: true }).last().fill('is cancelled')
  await form.getByLabel('A body contains', { exact: true }).check()
  await form.getByLabel('A body contains, one thing a line').fill('It was')
  await form.getByRole('button', { name: 'Keep the example' }).click()
  const examples = page.getByRole('region', { name: 'Examples' })
  await expect(examples.getByText('1 example passes')).toBeVisible()
  const brief = page.getByRole('list', { name: 'Brief of Exemplary' })
  await brief.getByRole('button', { name: /^line 2.1, condition/ }).click()
  await page.getByRole('combobox', { name: 'Value', exact: true }).click()
  await page.getByRole('option', { name: 'Late', exact: true }).click()
  await expect(examples.getByText('1 of 1 fail')).toBeVisible()
  await expect(examples.getByText(/^It does not fire:/)).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  const dialog = page.getByRole('alertdialog')
  await expect(dialog.getByText('1 example fails:')).toBeVisible()
  await expect(dialog.getByRole('button', { name: 'Send it live' })).toBeDisabled()
  await dialog.getByLabel(/^Why may it go live all the same/).fill('It is about late ones now')
  await dialog.getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  await page.goto('/workflows/Exemplary/versions')
  await expect(page.getByText('Examples failed and were overruled: It is about late ones now')).toBeVisible()
  await page.goto('/workflows/Exemplary')
  await page.getByRole('link', { name: 'A cancelled sailing reaches the directors' }).click()
  await expect(page.getByRole('heading', { name: 'Example: A cancelled sailing reaches the directors' })).toBeVisible()
  await expect(form.getByText(/^It does not fire:/)).toBeVisible()
  await form.getByRole('button', { name: 'Expect what comes of it now' }).click()
  await form.getByRole('button', { name: 'Keep it so' }).click()
  await expect(examples.getByText('1 example passes')).toBeVisible()
})

test('examples travel with the document and hold back what fails, through the API too', async () => {
  const change = { kind: 'changed', before: { status: 'Planned', number: 'SA-1' }, after: { status: 'Cancelled' } }
  const example = { name: 'cancelled', change, expect: { fires: true, subject: 'SA-1 is off' } }
  await api('PUT', '/api/v1/workflows/Exemplary', { ...draft, examples: [example] })
  const { body: run } = await api('POST', '/api/v1/examples', { workflow: { ...draft, examples: [example, { ...example, name: 'not', expect: { fires: false } }] } })
  expect(run.examples).toMatchObject([
    { name: 'cancelled', passes: false, shortfalls: ['No subject contains “SA-1 is off”; the first is “SA-1 is cancelled”.'] },
    { name: 'not', passes: false, shortfalls: [expect.stringMatching(/^It fires, and was not to/)] },
  ])
  const refused = await api('POST', '/api/v1/workflows/Exemplary/live')
  expect([refused.status, refused.body.review]).toMatchObject([409, [{ level: 'warning', code: 'failing example', path: '/examples/0' }]])
  expect((await api('POST', '/api/v1/workflows/Exemplary/live', { overrule: ' ' })).status).toBe(422)
  await api('PUT', '/api/v1/workflows/Exemplary', { ...draft, examples: [{ ...example, expect: { fires: true, subject: 'SA-1 is cancelled', bodyHas: ['It was Planned'] } }] })
  expect((await api('POST', '/api/v1/workflows/Exemplary/live')).status).toBe(200)
  const { body } = await api('GET', '/api/v1/workflows/Exemplary')
  expect((body.live as unknown as { examples: { name: string }[] }).examples.map((e) => e.name)).toEqual(['cancelled'])
  expect((await api('PUT', '/api/v1/workflows/Exemplary', { ...draft, examples: [{ name: 'x' }] })).status).toBe(422)
})

test('runs that failed are tried again, all alike at once, once what failed them is mended', async ({ page, playwright }) => {
  const failing = (body: string) => ({
    rappel: 'workflow/1',
    name: 'Failing',
    table: 'tasks',
    cue: { kind: 'record', on: ['created'] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'quay@example.org' }], subject: 'Mended: {{ task.subject }}', body }],
  })
  await api('PUT', '/api/v1/workflows/Failing', failing('{% for i in (1..9999) %}{% for j in (1..9999) %}{{ i }}{% endfor %}{% endfor %}'))
  expect((await api('POST', '/api/v1/workflows/Failing/live')).status).toBe(200)
  for (const subject of ['Rope', 'Paint']) expect((await api('POST', '/api/v1/records/tasks', { subject })).status).toBe(201)
  const runs = async () => (await api('GET', '/api/v1/runs?workflow=Failing')).body.runs as unknown as { id: number; state: string; version: number }[]
  await expect.poll(async () => (await runs()).filter((r) => r.state === 'failed').length === 2, { message: 'both runs to fail' }).toBe(true)
  const rafi = await sessionOf(playwright, RAFI)
  expect((await rafi.post(`/api/v1/runs/${(await runs())[0]?.id}/retry`)).status()).toBe(404)
  await api('PUT', '/api/v1/workflows/Failing', failing('Now it is short.'))
  await api('POST', '/api/v1/workflows/Failing/live')
  await signIn(page)
  await page.goto('/runs?workflow=Failing&state=failed')
  await page.getByRole('link', { name: 'Failing' }).first().click()
  await expect(page.getByText('It failed and did nothing.')).toBeVisible()
  await page.getByRole('button', { name: 'Try all 2 that failed like this' }).click()
  await expect(page.getByText('2 runs are being tried again.')).toBeVisible()
  await expect.poll(async () => (await runs()).every((r) => r.state === 'done' && r.version === 2), { message: 'both runs to be done' }).toBe(true)
  await expect(page.getByRole('heading', { name: /^Mended: / })).toBeVisible()
  expect((await api('POST', `/api/v1/runs/${(await runs())[0]?.id}/retry`)).status).toBe(409)
  expect((await api('POST', '/api/v1/runs/retry', { workflow: 'Failing' })).body).toEqual({ retried: 0 })
})

test('a question why in the palette leads to a change and what every workflow made of it', async ({ page }) => {
  const { body } = await api('GET', '/api/v1/runs?workflow=Offer above 1,000&limit=1')
  const [run] = body.runs as unknown as { title: string }[]
  await signIn(page)
  await page.goto('/records')
  await page.keyboard.press('Control+k')
  await page.getByPlaceholder(/or when …$/).fill(`why did ${run?.title} not tell anyone?`)
  await page
    .getByRole('option', { name: new RegExp(`${run?.title}, changed by`) })
    .first()
    .click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`Why, for a change of ${run?.title}`)
})

test('a rehearsal that is watched tells how far it is, line by line, and ends with what it came to', async ({ playwright }) => {
  const session = await sessionOf(playwright, 'maren.voss@ternsay-ferries.example')
  const response = await session.post('/api/v1/rehearse', { data: { workflow: draft, days: 90 }, headers: { accept: 'application/x-ndjson' } })
  const lines = (await response.text())
    .trimEnd()
    .split('\n')
    .map((line) => JSON.parse(line))
  expect(lines.at(-1).result.firings).toBeGreaterThan(0)
  expect(lines.slice(0, -1).every((l) => l.progress > 0 && l.progress <= 1)).toBe(true)
  const faulty = await session.post('/api/v1/rehearse', { data: { workflow: { ...draft, table: 'nowhere' } }, headers: { accept: 'application/x-ndjson' } })
  expect(faulty.status()).toBe(422)
})
