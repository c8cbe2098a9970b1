import { request as httpRequest } from 'node:http'
import { expect, test } from '@playwright/test'
import { api, BASE, linkIn, PORT, POST_ROOM } from './installation'
import { MAREN, RAFI, sessionOf, signIn, TOVE } from './people'

/** Nobody gets in where they do not belong. */

const withToken = (token: string, path: string) => fetch(BASE + path, { headers: { authorization: `Bearer ${token}` } }).then((r) => r.status)

test('nothing of a record is told without sign-in, not even its title', async () => {
  const { body } = await api('GET', '/api/v1/records/passengers/1')
  for (const path of ['/records/passengers/1', '/records/passengers', '/changes/1', '/runs/1']) {
    const response = await fetch(BASE + path, { redirect: 'manual' })
    const text = await response.text()
    expect([path, text.includes(String(body.last_name)), text.includes('Passengers')]).toEqual([path, false, false])
  }
})

test('a token has at most the role that its person has now, and none when they have left', async () => {
  const email = 'pat.temp@ternsay-ferries.example'
  const person = (input: object) => api('PUT', `/api/v1/people/${email}`, { name: 'Pat Temp', ...input })
  await person({ role: 'administrator', active: true })
  const { body } = await api('POST', '/api/v1/tokens', { name: 'pat', role: 'administrator', person: email })
  const token = String(body.token)
  expect(await withToken(token, '/api/v1/tokens')).toBe(200)
  await person({ role: 'editor' })
  expect([await withToken(token, '/api/v1/tokens'), await withToken(token, '/api/v1/templates')]).toEqual([403, 200])
  await person({ role: 'member' })
  expect([await withToken(token, '/api/v1/templates'), await withToken(token, '/api/v1/tables')]).toEqual([403, 200])
  await person({ active: false })
  await person({ active: true, role: 'administrator' })
  expect(await withToken(token, '/api/v1/tables')).toBe(401)
  await person({ active: false })
})

test('the last administrator who can sign in stays one', async () => {
  for (const refused of [
    await api('PUT', `/api/v1/people/${MAREN}`, { role: 'editor' }),
    await api('PUT', `/api/v1/people/${MAREN}`, { active: false }),
    await api('POST', `/api/v1/people/${MAREN}/deactivate`, {}),
  ])
    expect([refused.status, refused.body.detail]).toEqual([409, 'This is the last administrator who can sign in. Make somebody else one first.'])
})

test('a session’s call counts only from the application’s own pages, in scheme, host and port', async ({ playwright }) => {
  const tove = await sessionOf(playwright, TOVE)
  const put = (origin: string) => tove.put('/api/v1/templates/x', { data: {}, headers: { origin } }).then((r) => r.status())
  for (const origin of [POST_ROOM, BASE.replace('http:', 'https:'), 'http://evil.example', 'null']) expect([origin, await put(origin)]).toEqual([origin, 403])
  expect(await put(`http://localhost:${PORT}`)).toBe(422)
})

test('the application answers under its own names alone', async () => {
  const status = (path: string) =>
    new Promise<number>((resolve, reject) => {
      const call = httpRequest(BASE + path, { headers: { host: `evil.example:${PORT}` } }, (answer) => resolve(answer.statusCode ?? 0))
      call.on('error', reject)
      call.end()
    })
  expect([await status('/'), await status('/api/v1/tables'), await status('/api/v1/health')]).toEqual([421, 421, 200])
})

test('who got a mail in Bcc is told to no other recipient', async ({ playwright }) => {
  const name = 'Copies'
  await api('PUT', `/api/v1/workflows/${name}`, {
    rappel: 'workflow/1',
    name,
    table: 'claims',
    cue: { kind: 'record', on: ['created'] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: RAFI }], bcc: [{ address: 'secret@example.org' }], subject: 'S', body: 'B' }],
  })
  try {
    await api('POST', `/api/v1/workflows/${name}/live`)
    await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 3 })
    await expect.poll(async () => ((await api('GET', `/api/v1/messages?workflow=${name}`)).body.messages as unknown as object[]).length).toBe(1)
    const [message] = (await api('GET', `/api/v1/messages?workflow=${name}`)).body.messages as unknown as { id: number }[]
    const rafi = await sessionOf(playwright, RAFI)
    for (const path of [`/api/v1/messages?workflow=${name}`, `/api/v1/messages/${message?.id}`, `/api/v1/messages/${message?.id}.eml`, '/'])
      expect(await (await rafi.get(path)).text()).not.toContain('secret@example.org')
    expect(JSON.stringify((await api('GET', `/api/v1/messages/${message?.id}`)).body)).toContain('secret@example.org')
  } finally {
    await api('DELETE', `/api/v1/workflows/${name}`)
  }
})

test('why you got this shows values for some days, then to whoever signs in; with another secret it leads nowhere', async ({ page, browser }) => {
  const name = 'Told why'
  await api('PUT', `/api/v1/workflows/${name}`, {
    rappel: 'workflow/1',
    name,
    table: 'claims',
    cue: { kind: 'record', on: ['created'] },
    conditions: { field: 'amount', op: 'is', value: 4321 },
    actions: [{ name: 'tell', do: 'email', to: [{ address: RAFI }], subject: 'Why was I told', body: '<p>B {{ why }}</p>' }],
  })
  try {
    await api('POST', `/api/v1/workflows/${name}/live`)
    await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 4321 })
    let link = ''
    await expect
      .poll(
        async () => {
          const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(RAFI)}`)).json()) as { messages: { subject: string; raw: string }[] }
          const raw = messages.find((m) => m.subject === 'Why was I told')?.raw ?? ''
          link = linkIn(raw, 'why') ?? ''
          return link
        },
        { timeout: 60_000 },
      )
      .not.toBe('')
    const outside = await (await browser.newContext({ baseURL: BASE })).newPage()
    await outside.goto(link)
    await expect(outside.getByText('4,321').first()).toBeVisible()
    await api('PUT', '/api/v1/settings', { whyDays: 0 })
    await outside.goto(link)
    await expect(outside.getByText('This mail is of some age')).toBeVisible()
    expect(await outside.content()).not.toContain('4,321')
    await signIn(page, RAFI)
    await page.goto(link)
    await expect(page.getByText('4,321').first()).toBeVisible()
    await api('PUT', '/api/v1/settings', { whyDays: 30 })
    await api('POST', '/api/v1/settings/secrets/why')
    await page.goto(link)
    await expect(page.getByText('4,321')).toHaveCount(0)
    await expect(page.getByText('Why you got “Why was I told”')).toHaveCount(0)
  } finally {
    await api('PUT', '/api/v1/settings', { whyDays: 30 })
    await api('DELETE', `/api/v1/workflows/${name}`)
  }
})

test('a session’s id and the audit log are nobody’s to fake: what a caller says of itself is not believed', async () => {
  const before = (await api('GET', '/api/v1/audit?limit=1&what=sign-in+failed')).body.audit as unknown as { id: number }[]
  await fetch(`${BASE}/api/session`, {
    method: 'POST',
    headers: { origin: BASE, 'x-forwarded-for': '203.0.113.66', 'x-rappel-caller': '203.0.113.66', 'x-real-ip': '203.0.113.66' },
    body: JSON.stringify({ email: 'faker@ternsay-ferries.example', password: 'x' }),
  })
  const [line] = (await api('GET', '/api/v1/audit?limit=1&what=sign-in+failed')).body.audit as unknown as { id: number; caller: string; subject: string }[]
  expect(line).toMatchObject({ caller: '127.0.0.1', subject: 'faker@ternsay-ferries.example' })
  expect(line?.id).toBeGreaterThan(before[0]?.id ?? 0)
})
