import { expect, test } from '@playwright/test'
import PostalMime from 'postal-mime'
import { api, BASE, POST_ROOM, secret } from './installation'
import { MAREN, sessionOf, signIn, TOVE } from './people'

const PNG = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64')
const HTML = Buffer.from('<html><script>alert(1)</script></html>')

const upload = (method: string, path: string, content: Buffer, type = 'application/octet-stream') =>
  fetch(BASE + path, { method, body: new Uint8Array(content), headers: { authorization: `Bearer ${secret('api-token')}`, 'content-type': type } })

async function mailTo(address: string, subject: string) {
  let raw: string | undefined
  await expect
    .poll(
      async () => {
        const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${address}&limit=1000`)).json()) as { messages: { subject: string; raw: string }[] }
        raw = messages.findLast((m) => m.subject === subject)?.raw
        return raw !== undefined
      },
      { timeout: 60_000 },
    )
    .toBe(true)
  return PostalMime.parse(raw as string)
}

test('the organisation’s ways, senders, channels, files and tokens are kept in Settings', async ({ page }) => {
  await signIn(page)
  await page.goto('/')
  await page.getByRole('link', { name: 'Settings' }).click()
  await page.getByLabel('Currency').fill('EUR')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByRole('complementary', { name: 'Evidence' })).toContainText('€1,250.00')
  await page.getByLabel('Currency').fill('pounds')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByText('currency is not a currency code such as GBP')).toBeVisible()
  await page.getByLabel('Currency').fill('GBP')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page.getByRole('complementary', { name: 'Evidence' })).toContainText('£1,250.00')

  const senders = page.getByRole('region', { name: 'Sender identities' })
  await senders.getByLabel('Called here').fill('Harbour')
  await senders.getByLabel('Name people see').fill('The harbour office')
  await senders.getByLabel('Address of the sender').fill('harbour@ternsay-ferries.example')
  await senders.getByRole('button', { name: 'Add a sender' }).click()
  await expect(senders.getByText('The harbour office')).toBeVisible()
  await senders.getByRole('listitem').filter({ hasText: 'Claims desk' }).getByRole('button', { name: 'Remove' }).click()
  await expect(page.getByText('"Claims desk" is used by Claim settled')).toBeVisible()
  await senders.getByRole('listitem').filter({ hasText: 'Harbour' }).getByRole('button', { name: 'Remove' }).click()
  await expect(senders.getByText('The harbour office')).toHaveCount(0)

  const files = page.getByRole('region', { name: 'Files for mail' })
  await files.getByLabel('A file for the library').setInputFiles({ name: 'map of the quays.png', mimeType: 'text/html', buffer: PNG })
  await expect(files.getByText('image/png').first()).toBeVisible()
  await expect(files.getByRole('link', { name: 'map of the quays.png' })).toBeVisible()

  const tokens = page.getByRole('region', { name: 'API tokens' })
  await tokens.getByLabel('Name of the token').fill('importer')
  await tokens.getByRole('button', { name: 'Make a token' }).click()
  const token = await tokens.getByRole('status').locator('code').innerText()
  const call = () => fetch(`${BASE}/api/v1/workflows`, { headers: { authorization: `Bearer ${token}` } })
  expect((await call()).status).toBe(200)
  await tokens.getByRole('listitem').filter({ hasText: 'importer' }).getByRole('button', { name: 'End it' }).click()
  await expect(tokens.getByRole('listitem').filter({ hasText: 'importer' })).toHaveCount(0)
  expect((await call()).status).toBe(401)
})

test('a file is typed by its content and only ever saved, not shown', async () => {
  const answer = await upload('POST', '/api/v1/files?name=..%2Fpage.html', HTML, 'text/html')
  expect(answer.status).toBe(201)
  const file = (await answer.json()) as { id: number }
  expect(file).toMatchObject({ name: 'page.html', type: 'text/plain', size: HTML.length })
  const got = await fetch(`${BASE}/api/v1/files/${file.id}`, { headers: { authorization: `Bearer ${secret('api-token')}` } })
  expect(Object.fromEntries(got.headers)).toMatchObject({
    'content-type': 'text/plain',
    'content-disposition': `attachment; filename="page.html"; filename*=UTF-8''page.html`,
    'x-content-type-options': 'nosniff',
  })
  expect(Buffer.from(await got.arrayBuffer())).toEqual(HTML)
  expect((await upload('POST', '/api/v1/files?name=a', Buffer.alloc(10_000_001))).status).toBe(413)
  expect((await upload('POST', '/api/v1/files', PNG)).status).toBe(422)
})

test('a record’s file is chosen, saved and told by the workflow that attaches it', async ({ page }) => {
  await signIn(page)
  const { body } = await api('POST', '/api/v1/records/documents', { name: 'Plan of Holm', folder: 'Letters' })
  await page.goto(`/records/documents/${body.id}`)
  await page.getByRole('button', { name: /^Edit File/ }).click()
  await page.getByLabel('File', { exact: true }).setInputFiles({ name: 'plan.png', mimeType: 'image/png', buffer: PNG })
  await expect(page.getByRole('button', { name: 'Edit File, now plan.png' })).toBeVisible()
  const { body: record } = await api('GET', `/api/v1/records/documents/${body.id}`)
  await api('POST', '/api/v1/records/documents', { name: 'Safety of Holm', folder: 'Certificates', file: record.file })
  const mail = await mailTo('duncan.aird@ternsay-ferries.example', 'New certificate: Safety of Holm')
  expect(mail.attachments.map((a) => [a.filename, a.mimeType])).toEqual([['plan.png', 'image/png']])
})

test('the link in a mail tells its recipient why it came, and a stranger’s key nothing', async ({ page }) => {
  await api('POST', '/api/v1/records/documents', { name: 'Certificate of Brae', folder: 'Certificates' })
  const mail = await mailTo('duncan.aird@ternsay-ferries.example', 'New certificate: Certificate of Brae')
  const link = /http:\S+\/why\/\S+/.exec(mail.text ?? '')?.[0] as string
  await page.goto(link)
  await expect(page.getByRole('heading', { name: 'Why you got “New certificate: Certificate of Brae”' })).toBeVisible()
  await expect(page.getByText('You are in the group Harbour masters; a document was added.')).toBeVisible()
  await expect(page.getByText(/^Written/)).toBeVisible()
  await page.goto(`${link.slice(0, -4)}AAAA`)
  await expect(page.getByRole('heading', { name: 'This link leads nowhere' })).toBeVisible()
})

test('a draft is armed for trial over the API: it runs for real, and its mail comes to whoever armed it', async ({ playwright }) => {
  const tove = await sessionOf(playwright, TOVE)
  const draft = {
    rappel: 'workflow/1',
    name: 'Trial of tasks',
    table: 'tasks',
    cue: { kind: 'record', on: ['created'] },
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'Tried: {{ task.subject }}', body: 'B' }],
  }
  expect((await tove.put('/api/v1/workflows/Trial of tasks', { data: draft })).status()).toBe(200)
  const armed = (await (await tove.post('/api/v1/workflows/Trial of tasks/trial', { data: { minutes: 5 } })).json()) as { trial: { to: string; armed: boolean } }
  expect(armed.trial).toMatchObject({ to: TOVE, armed: true })
  const subject = `Sweep the quay ${Date.now()}`
  await api('POST', '/api/v1/records/tasks', { subject: 'of somebody else', owner: 1 })
  await tove.post('/api/v1/records/tasks', { data: { subject, owner: 1 } })
  const mail = await mailTo(TOVE, `Tried: ${subject}`)
  expect(mail.text).toContain('Trial: this would have gone to')
  await expect.poll(async () => ((await (await tove.get('/api/v1/workflows/Trial of tasks/trial')).json()) as { trial: { runs: unknown[] } }).trial.runs.length).toBe(1)
  expect(await (await tove.delete('/api/v1/workflows/Trial of tasks/trial')).json()).toEqual({ ended: 1 })
  expect(((await (await tove.get('/api/v1/workflows/Trial of tasks/trial')).json()) as { trial: { armed: boolean } }).trial.armed).toBe(false)
  await api('DELETE', '/api/v1/workflows/Trial of tasks')
  expect((await api('POST', '/api/v1/workflows/Claim settled/trial')).status).toBe(409)
})

test('only administrators see the settings and the place', async ({ page, playwright }) => {
  await signIn(page, TOVE)
  await page.goto('/')
  await expect(page.getByRole('link', { name: 'Settings' })).toHaveCount(0)
  expect((await (await sessionOf(playwright, TOVE)).get('/settings')).status()).toBe(403)
  expect((await (await sessionOf(playwright, MAREN)).get('/settings')).status()).toBe(200)
})
