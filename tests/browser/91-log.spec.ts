import { expect, test } from '@playwright/test'
import { api, putFaults } from './installation'
import { RAFI, sessionOf, signIn } from './people'

test.afterAll(async () => {
  await putFaults({})
  await api('DELETE', '/api/v1/workflows/Logged')
})

test('runs are filtered in the address by workflow, state, table, day and whom they wrote to, and come as CSV and JSON lines', async ({ page, playwright }) => {
  await signIn(page)
  await page.goto('/runs')
  await page.getByRole('combobox', { name: 'Workflow' }).click()
  await page.getByRole('option', { name: 'Enquiry won' }).click()
  await expect(page).toHaveURL(/workflow=Enquiry\+won/)
  const rows = page.getByRole('row')
  await expect(rows.filter({ hasText: 'Offer above 1,000' })).toHaveCount(0)
  const { body } = await api('GET', '/api/v1/runs?workflow=Enquiry won&limit=1000')
  const runs = body.runs as unknown as { id: number; at: string; title: string }[]
  const day = runs[0]?.at.slice(0, 10) as string
  await page.getByLabel('Day').fill(day)
  await expect(page).toHaveURL(new RegExp(`day=${day}`))
  await expect(rows.nth(1)).toBeVisible()
  const [address] = ((await api('GET', '/api/v1/messages?workflow=Enquiry won&limit=1')).body.messages as unknown as { recipients: { address: string }[] }[]).flatMap((m) =>
    m.recipients.map((r) => r.address),
  )
  const session = await sessionOf(playwright, 'maren.voss@ternsay-ferries.example')
  const csv = await (await session.get(`/api/v1/runs/export?as=csv&workflow=Enquiry won&to=${address}`)).text()
  const lines = await (await session.get(`/api/v1/runs/export?as=jsonl&workflow=Enquiry won&to=${address}`)).text()
  const listed = (await api('GET', `/api/v1/runs?workflow=Enquiry won&to=${address}&limit=1000`)).body.runs as unknown as { id: number }[]
  expect(listed.length).toBeGreaterThan(0)
  expect(listed.length).toBeLessThanOrEqual(runs.length)
  expect(
    csv
      .trimEnd()
      .split('\r\n')
      .slice(1)
      .map((line) => Number(line.split(',')[0])),
  ).toEqual(listed.map((r) => r.id))
  expect(
    lines
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line).id),
  ).toEqual(listed.map((r) => r.id))
  expect((await session.get('/api/v1/runs/export?as=pdf')).status()).toBe(422)
  const rafi = await sessionOf(playwright, RAFI)
  expect((await (await rafi.get('/api/v1/runs/export?as=jsonl&workflow=Enquiry won')).text()).trim()).toBe('')
})

test('all mail is searched; what failed is tried again or sent elsewhere, what waits is called off, and it comes as a mailbox file', async ({ page, playwright }) => {
  const to = (address: string) => ({
    rappel: 'workflow/1',
    table: 'tasks',
    cue: { kind: 'record', on: ['created'] },
    actions: [{ name: 'tell', do: 'email', to: [{ address }], subject: 'Logged: {{ task.subject }}', body: 'From here on\n\nFrom there' }],
  })
  const workflow = to('gone@quay.example')
  await api('PUT', '/api/v1/workflows/Logged', workflow)
  await api('POST', '/api/v1/workflows/Logged/live')
  await putFaults({ refuse: { 'gone@quay.example': 550 } })
  await api('POST', '/api/v1/records/tasks', { subject: 'one' })
  const stateOf = async (subject: string) =>
    ((await api('GET', `/api/v1/messages?text=${encodeURIComponent(subject)}&limit=1`)).body.messages as unknown as { state: string }[])[0]?.state
  await expect.poll(() => stateOf('Logged: one')).toBe('failed')
  await putFaults({ refuse: { '*': 451 } })
  await api('PUT', '/api/v1/workflows/Logged', to('later@quay.example')) // the other address bounced for good and gets no more
  await api('POST', '/api/v1/workflows/Logged/live')
  await api('POST', '/api/v1/records/tasks', { subject: 'two' })
  await expect.poll(async () => ((await api('GET', '/api/v1/messages?text=Logged: two')).body.messages as unknown as { attempt: number }[])[0]?.attempt).toBe(1)
  await expect.poll(() => stateOf('Logged: two')).toBe('queued')
  await putFaults({})
  await signIn(page)
  await page.goto('/messages')
  await page.getByLabel('Search').fill('Logged:')
  await expect(page).toHaveURL(/text=Logged/)
  const table = page.getByRole('table', { name: 'Messages' })
  await expect(table.getByRole('row')).toHaveCount(3)
  await table.getByRole('checkbox', { name: 'Choose Logged: two' }).check()
  await page.getByRole('button', { name: 'Call the 1 waiting off' }).click()
  await expect.poll(() => stateOf('Logged: two')).toBe('cancelled')
  await table.getByRole('checkbox', { name: 'Choose Logged: one' }).check()
  await page.getByLabel('Another address').fill('there@quay.example')
  await page.getByRole('button', { name: 'Send there' }).click()
  await expect.poll(() => stateOf('Logged: one')).toBe('sent')
  await expect(table.getByText('there@quay.example')).toBeVisible()
  const ids = ((await api('GET', '/api/v1/messages?text=Logged:')).body.messages as unknown as { id: number }[]).map((m) => m.id)
  const session = await sessionOf(playwright, 'maren.voss@ternsay-ferries.example')
  const mbox = await (await session.get(`/api/v1/messages/mbox?ids=${ids}`)).text()
  expect(mbox.match(/^From alerts@/gm)).toHaveLength(2)
  expect(mbox).toContain('\n>From here on')
})
