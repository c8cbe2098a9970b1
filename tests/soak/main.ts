import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { must } from '@/core/must'
import { readSurroundings } from '@/engine/program'
import { createPool, one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'
import { putLive, saveDraft } from '@/store/workflows'
import { Wire } from '../support/servers/wire'
import { account } from './accountant'
import { Chance, pause } from './chance'
import { type Broken, breakThings } from './chaos'
import { Part, startProgram, workerPart } from './installation'
import { keepLedger } from './ledger'
import { watchMemory } from './memory'
import { soakOptions } from './options'
import { lookAtPages } from './pages'
import { watchProcessor } from './processor'
import { reportOf } from './report'
import { runSink } from './sink'
import { watch } from './watch'
import { CHANNEL, FIGURE, JOBS, TALLIES, TASKS, WORKFLOWS } from './watched'
import { write } from './writers'

const { SOAK_HOME = '', SOAK_JOURNAL = '', SOAK_PORTS = '', SOAK_DATABASE_URL = '', SOAK_DISK, SOAK_FAKETIME } = process.env
const [webPort = 0, sinkPort = 0, wirePort = 0, pgPort = 0, boardPort = 0] = SOAK_PORTS.split(' ').map(Number)
/** What the mail server took stands beside the disk that is filled up. */
const JOURNAL = SOAK_JOURNAL

/** How long is waited at the end for all that waits to be handled: a long soak leaves much. */
const MOST_SETTLING_MS = 3_600_000

/** How long is waited at the end for what only stays so. */
const STILL_STAYING_S = 25

if (process.argv[2] === 'sink') runSink(sinkPort, boardPort, JOURNAL)
else process.exitCode = await soak()

/** Asks the script to do something with the database's server; answers when it is done. */
function askScript(what: string): Promise<void> {
  return new Promise((resolve) => {
    process.once('message', () => resolve())
    process.send?.(what)
  })
}

async function soak(): Promise<number> {
  const options = soakOptions(process.argv.slice(2))
  const chance = new Chance(options.seed)
  const pool = createPool(SOAK_DATABASE_URL, { max: 30, name: 'soak' })
  await prepare()
  const wire = new Wire(wirePort, pgPort)
  const isLoad = options.kills === 0
  if (!isLoad) await wire.start()
  const env = {
    RAPPEL_HOME: SOAK_HOME,
    // where nothing is broken there is no need for a wire that can be cut, through which each answer would take longer
    DATABASE_URL: isLoad ? SOAK_DATABASE_URL : SOAK_DATABASE_URL.replace(`:${pgPort}/`, `:${wirePort}/`),
    RAPPEL_SMTP_URL: `smtp://127.0.0.1:${sinkPort}`,
    RAPPEL_BASE_URL: `http://127.0.0.1:${webPort}`,
  }
  const self = must(process.argv[1])
  const sink = new Part('mail server', () => startProgram([self, 'sink'], process.env))
  const web = new Part('web', () => startProgram(['scripts/lib/web-server.mjs', '--port', String(webPort)], { ...env, NODE_ENV: 'production' }))
  const workers = Array.from({ length: options.workers }, () => [
    new Part('worker (changes)', workerPart('changes', env)),
    new Part('worker (mail)', () => workerPart('mail', { ...env, ...(isLoad ? {} : anotherClock(chance)) })()),
  ]).flat()
  const parts = [...workers, web]
  let isOn = true
  const on = () => isOn
  const url = `http://127.0.0.1:${webPort}`
  while (
    !(await fetch(`${url}/api/v1/health`).then(
      (r) => r.ok,
      () => false,
    ))
  )
    await pause(200)
  const token = readFileSync(join(SOAK_HOME, 'api-token'), 'utf8').trim()
  await putBoard()

  console.info(
    `${WORKFLOWS.length} workflows, ${options.workers} workers, ${options.minutes} minutes, about ${options.kills} kills, ${options.rate} changes a second, seed ${options.seed}`,
  )
  const refused = new Map<string, number>()
  const began = Date.now()
  const writing = write({
    pool,
    chance,
    rate: options.rate,
    isLoad,
    api: { url, token },
    isOn: on,
    refused,
  })
  const looking = lookAtPages(pool, url, on)
  const memory = watchMemory(parts, on)
  const processor = watchProcessor(on)
  const watching = watch({ pool, url, partsAlive: () => alive(workers), every: isLoad ? 10_000 : 1_000 }, on)
  const breaking = isLoad
    ? Promise.resolve<Broken>({ counts: new Map(), away: [] })
    : breakThings(
        { pool, databaseUrl: SOAK_DATABASE_URL, parts, sink, wire, chance, isOn: on, killDatabase: () => askScript('kill database'), disk: SOAK_DISK ?? null },
        (options.minutes * 60_000) / options.kills,
      )
  while (Date.now() - began < options.minutes * 60_000) {
    await pause(Math.min(30_000, Math.max(1_000, began + options.minutes * 60_000 - Date.now())))
    await tellHow(Date.now() - began)
  }
  isOn = false
  const [, watched, broken] = await Promise.all([writing, watching, breaking])
  const measured = { pages: await looking, memory: await memory, processor: await processor }
  await settle()
  await Promise.all([web, ...workers, sink].map((part) => part.stop()))
  await readArrivals()
  const counts = await account(pool)
  const kills =
    parts.concat(sink).reduce((sum, part) => sum + part.kills, 0) + [...broken.counts].filter(([name]) => name.includes('PostgreSQL')).reduce((sum, [, n]) => sum + n, 0)
  const text = await reportOf({ pool, options, counts, watched, broken, kills, refused, ...measured })
  console.info(text)
  if (options.report) writeFileSync(options.report, text)
  await pool.end()
  return counts.some((c) => c.wrong > 0) || watched.wrong.length > 0 ? 1 : 0

  async function prepare(): Promise<void> {
    await putPerson(pool, 'admin@staff.example', { name: 'Ada Admin', role: 'administrator' })
    await putTable(pool, JOBS)
    await putTable(pool, TALLIES)
    await putTable(pool, TASKS)
    await putFigure(pool, FIGURE, await readSurroundings(pool, ''), new Date())
    for (const workflow of WORKFLOWS) {
      await saveDraft(pool, workflow.name, workflow, null)
      await putLive(pool, workflow.name, null)
    }
    await keepLedger(pool)
  }

  /** Makes the channel that notices go to, by the web, which seals its secret. */
  async function putBoard(): Promise<void> {
    const answer = await fetch(`${url}/api/v1/channels/${CHANNEL}`, {
      method: 'PUT',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ url: `http://127.0.0.1:${boardPort}/`, secret: 'of the board' }),
    })
    if (!answer.ok) throw new Error(`The channel could not be made: ${answer.status} ${await answer.text()}`)
  }

  async function tellHow(since: number): Promise<void> {
    const row = await one<object>(
      pool,
      `select (select max(n) from soak.line) as changes, (select max(id) from rappel.run) as runs, (select max(id) from rappel.message) as messages,
              (select count(*) from rappel.message where state in ('queued', 'sending')) as waiting, (select count(*) from rappel.queue) as queue`,
    ).catch(() => ({ database: 'away' }))
    console.info(`${Math.round(since / 1_000)} s: ${JSON.stringify(row)}`)
  }

  /** Waits until all is quiet; what a server put off for long is let go at once, for time would only pass. */
  async function settle(): Promise<void> {
    const end = Date.now() + MOST_SETTLING_MS
    let quiet = 0
    while (Date.now() < end && quiet < 3) {
      await pause(1_000)
      const left = await one<{ n: number }>(
        pool,
        `select ((select count(*) from rappel.queue) + (select count(*) from rappel.message where state in ('queued', 'sending', 'held')) + (select count(*) from rappel.run where state = 'waiting')
                  + (select count(*) from rappel.notice where state = 'queued'))::int as n`,
      ).catch(() => ({ n: 1 }))
      quiet = left.n === 0 ? quiet + 1 : 0
      await pool.query(`update rappel.message set next_at = now() where state = 'queued' and next_at > now() + interval '2 seconds'`).catch(() => undefined)
      // one that is being given is due again a while later
      await pool.query(`update rappel.notice set next_at = now() where state = 'queued' and next_at > now() + interval '21 seconds'`).catch(() => undefined)
    }
    await pause((STILL_STAYING_S + 1) * 1_000)
  }

  async function readArrivals(): Promise<void> {
    const lines = existsSync(JOURNAL) ? readFileSync(JOURNAL, 'utf8').split('\n').filter(Boolean) : []
    for (let i = 0; i < lines.length; i += 5_000) {
      const some = lines.slice(i, i + 5_000).map((line, k) => ({ n: i + k, ...(JSON.parse(line) as object) }))
      await pool.query(
        `with lines as (select * from jsonb_to_recordset($1::jsonb) as x (n bigint, at bigint, id text, address text, code int, event text)),
              posts as (insert into soak.post (at, id) select at, event from lines where event is not null)
         insert into soak.arrival (n, at, id, address, code) select n, at, id, address, code from lines where event is null`,
        [JSON.stringify(some)],
      )
    }
  }
}

function alive(workers: readonly Part[]): { changes: number; mail: number } {
  const count = (name: string) => workers.filter((w) => w.name.includes(name) && w.child?.exitCode === null && w.child.signalCode === null).length
  return { changes: count('changes'), mail: count('mail') }
}

/** Now and then a worker that delivers starts with a clock that is off: it is told another time than the machine's. */
function anotherClock(chance: Chance): Record<string, string> {
  if (!SOAK_FAKETIME || chance.happens(0.6)) return {}
  return { LD_PRELOAD: SOAK_FAKETIME, FAKETIME: chance.pick(['+90s', '-20s', '+3600s']), DONT_FAKE_MONOTONIC: '1' }
}
