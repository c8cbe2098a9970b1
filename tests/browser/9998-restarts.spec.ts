import type { ChildProcess } from 'node:child_process'
import { expect, type PlaywrightWorkerArgs, test } from '@playwright/test'
import { HeldSocket } from '../support/servers/held-socket'
import { noNginx, startNginx } from '../support/servers/nginx'
import { api, SPARE_PORTS, secret } from './installation'
import { MAREN, sessionOf, signIn } from './people'
import { sql } from './sql'
import { ended, startWeb, webEnvironment } from './web-process'

const PORTS = [SPARE_PORTS[0], SPARE_PORTS[1]] as [number, number]

/** Two web processes, by their places. */
interface Webs {
  readonly start: (place: number) => Promise<void>
  readonly end: (place: number) => Promise<void>
}

/** Each on a port of its own. */
function onPorts(url: string): Webs {
  const webs: ChildProcess[] = []
  return {
    start: async (place) => {
      webs[place] = await startWeb(PORTS[place] as number, { RAPPEL_BASE_URL: url })
    },
    end: async (place) => {
      webs[place]?.kill('SIGTERM')
      await ended(webs[place] as ChildProcess)
    },
  }
}

/** Both on one socket that is held for them, as systemd does with `deploy/rappel-web.socket`. */
async function onOneSocket(url: string): Promise<Webs & { release: () => void }> {
  const [port] = PORTS
  const socket = await HeldSocket.hold(
    port,
    [process.execPath, 'scripts/web.mjs'],
    'listens on the socket that is held',
    webEnvironment({ RAPPEL_PORT: String(port), RAPPEL_BASE_URL: url }),
  )
  const pids: number[] = []
  return {
    start: async (place) => {
      pids[place] = await socket.start()
    },
    end: (place) => socket.end(pids[place] as number),
    release: () => socket.release(),
  }
}

/** Programs that save and read all the time, each call by a connection of its own. */
class Callers {
  readonly came: { saved: number; read: number; wrong: string[] } = { saved: 0, read: 0, wrong: [] }
  /** When each caller's calls were begun and answered. */
  readonly calls = Array.from({ length: 6 }, (): [number, number][] => [])
  private isOn = true
  private readonly all: Promise<void>[]

  constructor(
    private readonly url: string,
    private readonly titled: string,
  ) {
    this.all = this.calls.map(async (_, who) => {
      for (let n = 0; this.isOn; n++) {
        await this.call(who, who * 100_000 + n)
        await new Promise((resolve) => setTimeout(resolve, 30))
      }
    })
  }

  async end(): Promise<void> {
    this.isOn = false
    await Promise.all(this.all)
  }

  private async call(who: number, n: number): Promise<void> {
    const isSave = who % 2 === 0
    const began = performance.now()
    const answer = await fetch(`${this.url}/api/v1/${isSave ? 'records/restarts' : 'workflows'}`, {
      headers: { authorization: `Bearer ${secret('api-token')}`, 'content-type': 'application/json' },
      ...(isSave ? { method: 'POST', body: JSON.stringify({ title: `${this.titled} ${n}` }) } : {}),
    }).then(
      async (response) => ({ ok: response.ok, said: `${response.status} ${(await response.text()).slice(0, 200)}` }),
      (error: Error) => ({ ok: false, said: `${error.message}: ${error.cause}` }),
    )
    if (!answer.ok) this.came.wrong.push(answer.said)
    else if (isSave) this.came.saved++
    else this.came.read++
    this.calls[who]?.push([began, performance.now()])
  }
}

/** Ends a web process, and leaves it away for a while; when that was. */
async function awayFor(webs: Webs, place: number): Promise<readonly [number, number]> {
  await webs.end(place)
  const since = performance.now()
  await new Promise((resolve) => setTimeout(resolve, 1_500))
  return [since, performance.now()]
}

/** Whether nobody waits, no call fails and none is made twice while web processes come and go; everybody has answers in the while that is given back. */
async function expectNobodyNotices(url: string, comeAndGo: () => Promise<readonly [number, number]>): Promise<void> {
  const titled = `Restart ${Date.now()}`
  const callers = new Callers(url, titled)
  const [since, until] = await comeAndGo().finally(() => callers.end())
  const { came, calls } = callers
  expect(came.wrong).toEqual([])
  expect(came.saved).toBeGreaterThan(20)
  expect(came.read).toBeGreaterThan(20)
  for (const own of calls) expect(own.some(([began, answered]) => began > since && answered < until)).toBe(true)
  const saved = await sql(`select count(*)::int as records, count(distinct title)::int as apart from data.restarts where title like $1 || ' %'`, [titled])
  expect(saved).toEqual([{ records: came.saved, apart: came.saved }])
}

const lacking = noNginx()
if (lacking) console.warn(`Nginx was not tried: it ${lacking}.`)

test.beforeAll(async () => {
  const made = await api('PUT', '/api/v1/tables/restarts', {
    label: 'Restarts',
    singular: 'restart',
    titleField: 'title',
    fields: [{ name: 'title', label: 'Title', type: 'text' }],
  })
  expect([made.status, made.body]).toEqual([200, made.body])
})

/** Whether who signed in at one of the web processes is signed in at whichever answers. */
async function expectSignedInAtAll(playwright: PlaywrightWorkerArgs['playwright'], url: string): Promise<void> {
  const session = await sessionOf(playwright, MAREN, url)
  for (let i = 0; i < 6; i++) expect((await session.get('/workflows', { maxRedirects: 0 })).status()).toBe(200)
  await session.dispose()
}

/** Whether what takes long is told of line by line, not all at the end. */
async function expectLinesAsTheyCome(url: string): Promise<void> {
  const { body, status } = await fetch(`${url}/api/v1/records/restarts/import?quiet=true`, {
    method: 'POST',
    headers: { authorization: `Bearer ${secret('api-token')}`, 'content-type': 'text/csv', accept: 'application/x-ndjson' },
    body: `Title\n${Array.from({ length: 60_000 }, (_, i) => `Many ${i}`).join('\n')}\n`,
  })
  expect(status).toBe(200)
  const chunks: string[] = []
  for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) chunks.push(Buffer.from(chunk).toString())
  expect(chunks[0]).toMatch(/^\{"progress":/)
  expect(chunks[0]).not.toContain('result')
  expect(chunks.join('').trim().split('\n').at(-1)).toMatch(/^\{"result":\{.*"rows":60000/)
}

test('of two web processes on a port each behind nginx one is restarted and nobody waits; who signed in at one is signed in at both, and progress is told as it is made', async ({
  playwright,
}) => {
  test.skip(lacking !== null)
  test.setTimeout(120_000)
  const proxy = await startNginx(PORTS)
  const webs = onPorts(proxy.url)
  try {
    await Promise.all([webs.start(0), webs.start(1)])
    await expectSignedInAtAll(playwright, proxy.url)
    await expectLinesAsTheyCome(proxy.url)
    await expectNobodyNotices(proxy.url, async () => {
      const away = await awayFor(webs, 0)
      await webs.start(0)
      return away
    })
  } finally {
    await Promise.all([webs.end(0), webs.end(1)])
    await proxy.stop()
  }
})

test('web processes on one socket that is held for them, as by systemd, are restarted, then are all away for a while, and no call fails', async () => {
  test.skip(lacking !== null)
  test.setTimeout(120_000)
  const proxy = await startNginx(PORTS.slice(0, 1))
  const webs = await onOneSocket(proxy.url)
  try {
    await Promise.all([webs.start(0), webs.start(1)])
    await expectNobodyNotices(proxy.url, async () => {
      const away = await awayFor(webs, 0)
      await webs.end(1)
      await webs.start(0)
      return away
    })
  } finally {
    await webs.end(0)
    webs.release()
    await proxy.stop()
  }
})

test('a page that was opened before an upgrade, whose parts are there no more, is loaded anew where it leads to', async ({ page }) => {
  await signIn(page)
  await page.goto('/settings')
  let refused = 0
  await page.route('**/_next/static/chunks/**', (route) => {
    refused++
    return route.fulfill({ status: 404 })
  })
  page.on('request', (request) => {
    if (request.isNavigationRequest()) void page.unroute('**/_next/static/chunks/**') // the page as it is now has parts that are there
  })
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Workflows' }).click()
  await expect(page.getByRole('heading', { name: 'Workflows' })).toBeVisible()
  expect(page.url()).toMatch(/\/workflows$/)
  expect(refused).toBeGreaterThan(0)
})
