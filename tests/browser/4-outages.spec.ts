import { expect, test } from '@playwright/test'
import pg from 'pg'
import { api, BASE, HOME, PG_PORT, PORT, POST_ROOM, putFaults, SMTP_PORT, SPARE_PORTS, secret, startDemo, stopDemo } from './installation'
import { signIn } from './people'

const OUTAGE_MS = 20_000

interface Cluster {
  stopCluster(home: string): void
  restartCluster(home: string): void
}

const put = putFaults

test('a mail server that is down: messages wait, Today says so, and they go once it is back', async ({ page }) => {
  await signIn(page)
  await put({ down: true })
  await api('POST', '/api/v1/records/defects', { severity: 'Stops sailing', system: 'Hull', vessel: 1 })
  await expect.poll(async () => ((await (await fetch(`${BASE}/api/v1/health`)).json()) as { mail: boolean }).mail).toBe(false)
  await page.goto('/')
  await expect(page.getByRole('alert').filter({ hasText: 'The mail server does not answer' })).toBeVisible()
  await put({})
  await expect.poll(async () => ((await (await fetch(`${BASE}/api/v1/health`)).json()) as { mail: boolean }).mail).toBe(true)
  await expect.poll(async () => (await (await fetch(`${POST_ROOM}/messages?raw=false&newest=true&limit=1`)).json()).messages[0].subject).toMatch(/Hull stops sailing/)
})

test('a database away for 20 s: web answers 503 with a sentence, the worker comes back by itself, nothing is lost', async () => {
  const cluster = (await import(`${process.cwd()}/scripts/lib/cluster.mjs`)) as Cluster
  cluster.stopCluster(HOME)
  await new Promise((resolve) => setTimeout(resolve, 200))
  const until = Date.now() + OUTAGE_MS
  while (Date.now() < until) {
    const call = await fetch(`${BASE}/api/v1/records/claims`, { headers: { authorization: `Bearer ${secret('api-token')}` } })
    expect([call.status, ((await call.json()) as { detail: string }).detail]).toEqual([503, expect.stringContaining('cannot be reached')])
    const page = await fetch(`${BASE}/`)
    expect([page.status, await page.text()]).toEqual([503, expect.stringContaining('Rappel is waiting for its database')])
    await new Promise((resolve) => setTimeout(resolve, 1_500))
  }
  cluster.restartCluster(HOME)
  await new Promise((resolve) => setTimeout(resolve, 200)) // nothing else was done here meanwhile: connections that the web closed for being idle are noticed now
  await expect.poll(async () => ((await (await fetch(`${BASE}/api/v1/health`)).json()) as { ok?: boolean }).ok, { timeout: 90_000 }).toBe(true)
  await api('POST', '/api/v1/records/defects', { severity: 'Stops sailing', system: 'Bow door', vessel: 2 })
  await expect.poll(async () => (await (await fetch(`${POST_ROOM}/messages?raw=false&newest=true&limit=1`)).json()).messages[0].subject).toMatch(/Bow door stops sailing/)
})

test('a table that somebody holds: health says in time that what waits cannot be found out, and is well once it is let go', async () => {
  const health = async () => (await fetch(`${BASE}/api/v1/health`)).json() as Promise<{ ok: boolean; database: boolean; oldestRun: number | null; problems: string[] }>
  const held = new pg.Client(secret('database-url'))
  await held.connect()
  try {
    await held.query('begin; lock table rappel.run in access exclusive mode')
    // on a busy machine what was found out before counts for a while
    await expect
      .poll(health, { timeout: 120_000 })
      .toMatchObject({ ok: false, database: true, oldestRun: null, problems: expect.arrayContaining([expect.stringContaining('What waits could not be found out')]) })
  } finally {
    await held.end()
  }
  await expect.poll(async () => (await health()).ok).toBe(true)
})

test('6: stopped with Ctrl-C and started again, everything is as it was', async ({ page }) => {
  const read = async () => ({
    claims: (await api('GET', '/api/v1/records/claims?limit=1&count')).body.count,
    runs: (await api('GET', '/api/v1/runs?limit=1000')).body.runs,
    workflows: (await api('GET', '/api/v1/workflows')).body.workflows,
    arrived: (await (await fetch(`${POST_ROOM}/mailboxes`)).json()).mailboxes.length,
  })
  const before = await read()
  await stopDemo()
  for (const address of [BASE, POST_ROOM, `http://127.0.0.1:${SMTP_PORT}`, `http://127.0.0.1:${PG_PORT}`]) await expect(fetch(address)).rejects.toThrow()
  await startDemo()
  expect(await read()).toEqual(before)
  await signIn(page)
  await page.goto('/workflows/Vehicle%20claims')
  await expect(page.getByText('Paused, version 1')).toBeVisible()
})

test('a busy port is named in a sentence', async () => {
  const { spawnSync } = await import('node:child_process')
  const [a, b, c] = SPARE_PORTS
  const env = { ...process.env, RAPPEL_HOME: `${HOME}-other`, RAPPEL_PORT: String(PORT), RAPPEL_POST_ROOM_PORT: String(a), RAPPEL_SMTP_PORT: String(b), RAPPEL_PG_PORT: String(c) }
  const { status, stderr } = spawnSync(process.execPath, ['scripts/demo.mjs'], { env, encoding: 'utf8' })
  expect([status, stderr]).toEqual([1, expect.stringContaining(`Port ${PORT}, wanted for the web application, is in use`)])
})
