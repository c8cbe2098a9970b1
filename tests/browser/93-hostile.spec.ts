import { execFileSync } from 'node:child_process'
import { connect } from 'node:net'
import { expect, test } from '@playwright/test'
import { api, BASE, demoPid, POST_ROOM, putFaults, SMTP_PORT, secret } from './installation'
import { RAFI, sessionOf, signIn } from './people'

/** Whoever asks something odd is answered in words, and nothing else notices. */

const workflow = (name: string, parts: object = {}) => ({
  rappel: 'workflow/1',
  name,
  table: 'claims',
  cue: { kind: 'record', on: ['changed'] },
  conditions: { all: [{ field: 'status', op: 'is', value: 'Settled' }] },
  actions: [{ name: 'tell', do: 'email', to: [{ address: 'someone@example.org' }], subject: 'Settled {{ claim.number }}', body: 'B' }],
  ...parts,
})

const ODD = '100% sure %41 / “ü”'
test.afterAll(async () => {
  for (const name of [ODD, 'Passing', 'Renamed now']) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

test('a name with percent signs goes by itself everywhere', async ({ page }) => {
  const path = `/api/v1/workflows/${encodeURIComponent(ODD)}`
  expect((await api('PUT', path, workflow(ODD))).body).toMatchObject({ name: ODD, review: [] })
  expect((await api('GET', path)).body.name).toBe(ODD)
  await signIn(page)
  await page.goto(`/workflows/${encodeURIComponent(ODD)}`)
  await expect(page.getByLabel('Name of the workflow')).toHaveValue(ODD)
  await page.goto('/workflows')
  await page.getByRole('link', { name: ODD }).click()
  await expect(page.getByLabel('Name of the workflow')).toHaveValue(ODD)
})

const refusals: readonly [what: string, method: string, path: string, body: string | undefined, status: number, says: RegExp][] = [
  ['an unknown path', 'GET', '/api/v1/nothing', undefined, 404, /has no/],
  ['a verb that a path does not take', 'DELETE', '/api/v1/changes', undefined, 405, /takes GET, not DELETE/],
  ['half a percent sign', 'GET', '/api/v1/workflows/%E0%A4', undefined, 400, /% that is followed/],
  ['NUL in a path', 'GET', '/api/v1/workflows/a%00b', undefined, 400, /NUL/],
  ['NUL in a text', 'PUT', '/api/v1/workflows/x', JSON.stringify(workflow('a\u0000b')), 422, /cannot be kept/],
  ['half of a surrogate pair', 'POST', '/api/v1/records/claims', '{"note":"\\ud800"}', 422, /cannot be kept/],
  ['NUL in a filter', 'GET', `/api/v1/records/claims?where=${encodeURIComponent('{"field":"number","op":"is","value":"a\\u0000"}')}`, undefined, 422, /./],
  ['JSON nested 50,000 deep', 'POST', '/api/v1/try', `{"workflow":${'['.repeat(50_000)}${']'.repeat(50_000)}}`, 400, /nested deeper than 100/],
  ['YAML nested 2,000 deep', 'POST', '/api/v1/workflows/import', '['.repeat(2_000), 422, /cannot be read|can be read/],
  [
    '30,000 clauses',
    'POST',
    '/api/v1/evidence',
    JSON.stringify({ workflow: workflow('x', { conditions: { all: new Array(30_000).fill({ field: 'status', op: 'is', value: 'x' }) } }) }),
    422,
    /not a workflow document/,
  ],
  [
    '8,000 emails',
    'POST',
    '/api/v1/evidence',
    JSON.stringify({ workflow: workflow('x', { actions: new Array(8_000).fill(workflow('x').actions[0]) }) }),
    422,
    /not a workflow document/,
  ],
]

test.describe('is answered with a problem document', () => {
  for (const [what, method, path, body, status, says] of refusals)
    test(what, async () => {
      const response = await fetch(BASE + path, { method, headers: { authorization: `Bearer ${secret('api-token')}` }, body })
      expect([response.status, response.headers.get('content-type')]).toEqual([status, 'application/problem+json'])
      expect(((await response.json()) as { detail: string }).detail).toMatch(says)
    })

  test('a call from no page', async ({ playwright }) => {
    const maren = await sessionOf(playwright, RAFI)
    expect((await maren.post('/api/v1/records/claims', { data: {}, headers: { origin: 'null' } })).status()).toBe(403)
  })
})

test('what people wrote holds nobody up: while formulas and texts without end are tried, small calls are answered', async () => {
  const endless = [
    { values: [{ name: 'v', formula: '{f: function(n) if n = 0 then 0 else f(n - 1) + f(n - 1), r: f(60)}.r' }] },
    { actions: [{ ...workflow('x').actions[0], body: '{% for i in (1..1000000) %}{% for j in (1..1000000) %}x{% endfor %}{% endfor %}' }] },
    { values: [{ name: 'v', formula: 'matches("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!", "^(a+)+$")' }] },
  ]
  const tried = endless.map((parts) =>
    api('POST', '/api/v1/try', {
      workflow: workflow('x', { ...parts, conditions: undefined }),
      change: { kind: 'changed', before: { status: 'New' }, after: { status: 'Settled' } },
    }),
  )
  const answers = await Promise.all(tried)
  expect(answers.map((a) => a.status)).toEqual([422, 422, 200])
  for (const { body } of answers.slice(0, 2)) expect(body.detail).toMatch(/does more work than is allowed|builds more than/)
  expect((await api('GET', '/api/v1/health')).status).toBe(200)
})

test('the change log is paged to its end, also over transactions that came to nothing', async () => {
  const ids: number[] = []
  let after = 0
  for (let pages = 0; pages < 2_000; pages++) {
    const { body } = await api('GET', `/api/v1/changes?table=claims&limit=50&after=${after}`)
    ids.push(...(body.changes as unknown as { id: number }[]).map((c) => c.id))
    if (body.next === null) break
    expect(Number(body.next)).toBeGreaterThan(after)
    after = Number(body.next)
  }
  const { body } = await api('GET', `/api/v1/changes?table=claims&limit=1000&after=${ids.at(-101)}`)
  expect((body.changes as unknown as { id: number }[]).map((c) => c.id)).toEqual(ids.slice(-100))
})

test('the description of the API says the limits of a document', async () => {
  const described = (await (await fetch(`${BASE}/api/v1/openapi.json`)).json()) as {
    openapi: string
    paths: Record<string, object>
    components: { schemas: { Workflow: { properties: { actions: object } } } }
  }
  expect(described.openapi).toBe('3.1.0')
  expect(Object.keys(described.paths)).toEqual(expect.arrayContaining(['/workflows/{name}', '/records/{table}/{id}', '/health']))
  expect(described.components.schemas.Workflow.properties.actions).toMatchObject({ type: 'array', maxItems: 100 })
})

test('a mail of 3,000 parts in one another is said to be one that cannot be taken apart', async ({ page }) => {
  const parts = Array.from({ length: 3_000 }, (_, i) => `Content-Type: multipart/mixed; boundary=b${i}\r\n\r\n--b${i}\r\n`).join('')
  const source = `From: a@example.org\r\nTo: deep@example.org\r\nSubject: Deep\r\nMIME-Version: 1.0\r\n${parts}Content-Type: text/plain\r\n\r\nx\r\n.\r\n`
  await new Promise<void>((resolve, reject) => {
    const lines = ['EHLO me', 'MAIL FROM:<a@example.org>', 'RCPT TO:<deep@example.org>', 'DATA', source.trimEnd(), 'QUIT']
    const socket = connect(SMTP_PORT, '127.0.0.1')
    socket.on('data', (reply) => {
      if (/^\d{3} /m.test(reply.toString())) socket.write(`${lines.shift()}\r\n`)
    })
    socket.on('end', resolve)
    socket.on('error', reject)
  })
  await signIn(page)
  await page.goto('/post-room?mailbox=deep@example.org')
  await expect(page.getByText('cannot be taken apart')).toBeVisible()
})

test('an address that is none, also as an image of some page, ends nothing', async () => {
  for (const path of ['//', '/channels/%zz', '/messages/999999999999999999999']) {
    const response = await fetch(`${POST_ROOM}${path}`)
    expect([400, 404]).toContain(response.status)
  }
  expect((await fetch(`${POST_ROOM}/mailboxes`)).status).toBe(200)
})

/** The processes of the installation, by what they run. */
function processOf(program: string): number | null {
  const line = execFileSync('ps', ['-eww', '-o', 'pid,ppid,args'])
    .toString()
    .split('\n')
    .find((l) => l.includes(program) && Number(l.trim().split(/\s+/)[1]) === demoPid())
  return line ? Number(line.trim().split(/\s+/)[0]) : null
}

test('a part that dies is started again, the others go on, and Today says so', async ({ page }) => {
  for (const program of ['post-room.mjs', 'next-server']) {
    const pid = processOf(program) as number
    expect(pid).toBeGreaterThan(0)
    process.kill(pid, 'SIGKILL')
    await expect.poll(() => processOf(program)).not.toBeNull()
    await expect.poll(() => processOf(program)).not.toBe(pid)
  }
  await expect
    .poll(
      () =>
        fetch(`${BASE}/api/v1/health`).then(
          (r) => r.status,
          () => 0,
        ),
      { timeout: 90_000 },
    )
    .toBe(200)
  const health = (await (await fetch(`${BASE}/api/v1/health`)).json()) as { restarts: { part: string; restarts: number }[] }
  expect(health.restarts.map((r) => r.part).sort()).toEqual(['post room', 'web'])
  await expect.poll(async () => ((await (await fetch(`${BASE}/api/v1/health`)).json()) as { ok: boolean }).ok).toBe(true)
  await signIn(page)
  await page.goto('/')
  await expect(page.getByText(/The post room died and was started again 1 time/)).toBeVisible()
})

test('running what passed by asks first, with what would be sent, and so does resuming', async ({ page }) => {
  await api('PUT', '/api/v1/workflows/Passing', workflow('Passing'))
  await api('POST', '/api/v1/workflows/Passing/live')
  await api('POST', '/api/v1/workflows/Passing/pause')
  const { body: claim } = await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 9, status: 'New' })
  await api('PATCH', `/api/v1/records/claims/${claim.id}`, { status: 'Settled' })
  await signIn(page)
  await page.goto('/workflows/Passing')
  await page.getByRole('button', { name: 'Resume' }).click()
  const question = page.getByRole('alertdialog')
  await expect(question).toContainText(/Of them 1 would fire it, and 1 mail would go to 1 address/)
  await question.getByRole('button', { name: 'Resume' }).click()
  await page.getByRole('button', { name: /Run the \d+ that passed by/ }).click()
  await expect(question).toContainText('someone@example.org')
  await question.getByRole('button', { name: 'Run them and send 1 mail' }).click()
  await expect.poll(async () => (await (await fetch(`${POST_ROOM}/messages?raw=false&newest=true&limit=1`)).json()).messages[0].subject).toBe(`Settled ${claim.number}`)
})

test('a live workflow that was renamed is not warned against itself', async () => {
  const loops = workflow('Renamed', { actions: [{ name: 'note', do: 'update', set: { note: { text: 'x' } } }], cue: { kind: 'record', on: ['changed'] } })
  await api('PUT', '/api/v1/workflows/Renamed', loops)
  await api('POST', '/api/v1/workflows/Renamed/live')
  await api('PUT', '/api/v1/workflows/Renamed', { ...loops, name: 'Renamed now' })
  const { body } = await api('GET', '/api/v1/workflows/Renamed%20now')
  const { body: rehearsed } = await api('POST', '/api/v1/rehearse', { workflow: body.draft, days: 30 })
  expect(JSON.stringify([(rehearsed.review as unknown as { message: string }[]).map((f) => f.message), rehearsed.overlaps])).not.toContain('Renamed')
})

test('an address that bounced is listed in Settings and lifted there', async ({ page }) => {
  await putFaults({ refuse: { 'gone@example.org': 550 } })
  try {
    const bounce = workflow('Passing', {
      cue: { kind: 'record', on: ['created'] },
      conditions: undefined,
      actions: [{ ...workflow('x').actions[0], to: [{ address: 'gone@example.org' }] }],
    })
    await api('PUT', '/api/v1/workflows/Passing', bounce)
    await api('POST', '/api/v1/workflows/Passing/live')
    await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 8 })
    await expect
      .poll(async () => ((await api('GET', '/api/v1/suppressions')).body.suppressions as unknown as { address: string }[]).map((s) => s.address))
      .toContain('gone@example.org')
    const { body } = await api('GET', '/api/v1/runs?workflow=Passing&state=failed')
    expect((body.runs as unknown as { state: string }[]).map((r) => r.state)).toEqual(['mail failed'])
    await signIn(page)
    await page.goto('/workflows')
    await page.getByRole('listitem').filter({ hasText: 'Passing' }).getByRole('link', { name: '1 failed' }).click()
    await expect(page).toHaveURL(/\/runs\?workflow=Passing&state=failed/)
    await expect(page.getByText('Mail failed')).toBeVisible()
    await page.goto('/settings')
    await page.getByRole('listitem').filter({ hasText: 'gone@example.org' }).getByRole('button', { name: 'Lift' }).click()
    await expect(page.getByText('gone@example.org', { exact: true })).toBeHidden()
  } finally {
    await putFaults({})
  }
})

test('a member’s why says what waits and what wrote to them, without naming others’ workflows', async ({ page }) => {
  const { body } = await api('GET', '/api/v1/changes?table=claims&limit=1')
  await signIn(page, RAFI)
  await page.goto(`/changes/${(body.changes as unknown as { id: number }[])[0]?.id}`)
  await expect(page.getByText(/workflows? of others waits? for changes of claims; none wrote to you about this one\./)).toBeVisible()
  await expect(page.getByText('No workflow waits')).toBeHidden()
})

test('a single key arms no trial; an image in a body trips no policy of the page', async ({ page }) => {
  const complaints: string[] = []
  page.on('console', (message) => {
    if (/Content Security Policy/i.test(message.text())) complaints.push(message.text())
  })
  await signIn(page)
  await api(
    'PUT',
    '/api/v1/workflows/Passing',
    workflow('Passing', { actions: [{ ...workflow('x').actions[0], format: 'rich', body: '<p>Look: <img src="cid:none.png" alt="none"></p><p>{{ link }}</p>' }] }),
  )
  await page.goto('/workflows/Passing')
  await page
    .getByRole('button', { name: /line 2\.1/ })
    .first()
    .focus()
  await page.keyboard.press('y')
  await expect(page.getByRole('button', { name: /for my changes/ })).toBeFocused()
  expect((await api('GET', '/api/v1/workflows/Passing/trial')).body.trial ?? null).toBeNull()
  await page.getByRole('button', { name: /line 3, email/ }).click()
  const body = page.getByRole('textbox', { name: 'Body' })
  await body.click()
  await page.keyboard.press('End')
  await page.keyboard.type(' more')
  await page.keyboard.press('Control+s')
  await expect.poll(async () => JSON.stringify((await api('GET', '/api/v1/workflows/Passing')).body.draft)).toContain(' more')
  expect(JSON.stringify((await api('GET', '/api/v1/workflows/Passing')).body.draft)).toContain('src=\\"cid:none.png\\"')
  expect(complaints).toEqual([])
})
