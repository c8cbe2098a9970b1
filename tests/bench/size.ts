import { type ChildProcess, spawn } from 'node:child_process'
import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import { ensurePartitions } from '@/store/changes'
import { many, one } from '@/store/database'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'
import { keptDatabase, noteFilled } from '../support/database'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { freePort } from '../support/servers/ports'
import { administratorsCookie } from '../support/signed-in'
import { startWorkerProcess } from '../support/worker-process'
import { median, report, time } from './measure'

/** How large it is. Most changes are of five tables of twenty fields; the others have as many fields as a table of an old system has. */
const TABLES = Number(process.env.SIZE_TABLES ?? 100)
const FIELDS = 200
const BUSY = 5
const BUSY_FIELDS = 20
const RECORDS = 100_000
const CHANGES = Number(process.env.SIZE_CHANGES ?? 10_000_000)
const RUNS = Number(process.env.SIZE_RUNS ?? 1_000_000)
const PEOPLE = 5_000
const WORKFLOWS = Number(process.env.SIZE_WORKFLOWS ?? 2_000)
const DAYS = 365

/** How long a page may take, and a worker until it is ready, in milliseconds. */
const PAGE_MS = 300
const WORKER_MS = 5_000

/** How often each page is looked at; the first time, it may have to be read from the disk. */
const LOOKS = 12

const tableAt = (i: number): TableDef => ({
  name: `cases_${i}`,
  label: `Cases ${i}`,
  singular: `case_${i}`,
  titleField: 'number',
  ownerField: 'owner',
  fields: [
    { name: 'number', label: 'Number', type: 'text' },
    { name: 'status', label: 'Status', type: 'choice', choices: ['New', 'Open', 'Waiting', 'Closed'] },
    { name: 'owner', label: 'Owner', type: 'person' },
    { name: 'amount', label: 'Amount', type: 'money' },
    { name: 'due', label: 'Due', type: 'date' },
    ...Array.from({ length: (i < BUSY ? BUSY_FIELDS : FIELDS) - 5 }, (_, k) => ({
      name: `field_${k}`,
      label: `Field ${k}`,
      type: k % 3 ? ('text' as const) : ('number' as const),
    })),
  ],
})

const workflowAt = (i: number): Workflow => ({
  rappel: 'workflow/1',
  name: `Alert ${i}`,
  table: `cases_${i % TABLES}`,
  cue: { kind: 'record', on: ['changed'] },
  conditions: {
    all: [
      { field: 'status', op: 'is', value: 'Waiting' },
      { field: 'amount', op: 'at least', value: i },
    ],
  },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ number }}', body: 'See {{ link }}' }],
})

/** What pages and workers take where an installation is large. */
export async function benchSize(): Promise<void> {
  const { room, stop: stopEngine } = await startEngine()
  const { pool, url, isNew } = await keptDatabase(`rappel_size_${TABLES}_${WORKFLOWS}_${RUNS}_${CHANGES}`)
  if (isNew) await fill(pool, { url, room })
  const start = performance.now()
  const worker = await startWorkerProcess({ url, room })
  const ms = performance.now() - start
  report(`a worker is ready, with ${TABLES} tables of ${FIELDS} fields and ${WORKFLOWS} workflows`, `${ms.toFixed(0)} ms`, 'under 5 s', ms < WORKER_MS)
  await lookAtPages(pool, url)
  await stop(worker)
  await pool.end()
  await stopEngine()
}

/** Makes all that there is to be; it takes a quarter of an hour, and is kept. */
async function fill(pool: Pool, engine: Pick<Engine, 'url' | 'room'>): Promise<void> {
  const step = async (what: string, deed: () => Promise<unknown>) => {
    console.info(`  ${what}: ${((await time(deed)) / 1_000).toFixed(0)} s`)
  }
  await step(`${PEOPLE} people`, () => makePeople(pool))
  await step(`${TABLES} tables of ${FIELDS} fields`, () => makeTables(pool))
  await step(`${WORKFLOWS} workflows`, () => makeWorkflows(pool))
  const worker = await startWorkerProcess(engine)
  await step('some runs by a worker', () => makeRuns(pool))
  await stop(worker)
  await step(`${RUNS} runs and their mail`, () => multiplyRuns(pool))
  await step(`${CHANGES} changes`, () => makeChanges(pool))
  await step('statistics', () => pool.query('vacuum analyze'))
  await noteFilled(pool)
}

async function makePeople(pool: Pool): Promise<void> {
  await putPerson(pool, 'admin@staff.example', { name: 'Ada Admin', role: 'administrator' })
  await pool.query(
    `insert into rappel.person (name, first_name, last_name, email, team, role)
     select 'Person ' || g, 'Person', g::text, 'p' || g || '@staff.example', 'Team ' || g % 40, 'member' from generate_series(1, $1) g`,
    [PEOPLE],
  )
}

async function makeTables(pool: Pool): Promise<void> {
  for (let i = 0; i < TABLES; i++) await putTable(pool, tableAt(i))
  await ensurePartitions(pool, 13)
  for (let i = 0; i < BUSY; i++)
    await pool.query(
      `insert into data.cases_${i} (number, status, owner, amount) select 'C-' || g, 'New', (select min(id) from rappel.person) + 1 + g % $1::int, g % 1000 from generate_series(1, $2) g`,
      [PEOPLE, RECORDS / BUSY],
    )
  await pool.query('truncate rappel.queue')
}

async function makeWorkflows(pool: Pool): Promise<void> {
  for (let i = 0; i < WORKFLOWS; i++) await goLive({ pool }, workflowAt(i))
}

/** Runs that a worker makes of real changes, to be multiplied. */
async function makeRuns(pool: Pool): Promise<void> {
  for (let i = 0; i < BUSY; i++)
    await pool.query(`update data.cases_${i} set status = 'Waiting', amount = 100000 where id in (select id from data.cases_${i} order by id limit 100)`)
  const waits = `select count(*)::int as n from (select 1 from rappel.queue union all select 1 from rappel.message where state <> 'sent') x`
  await until('the worker to be through', async () => (await one<{ n: number }>(pool, waits)).n === 0, 300_000)
}

/** As many runs and messages as there are to be, of those that are there, each at another time of the year. */
async function multiplyRuns(pool: Pool): Promise<void> {
  const { n } = await one<{ n: number }>(pool, 'select count(*)::int as n from rappel.run')
  const times = Math.ceil(RUNS / n)
  const columns = async (table: string, without: readonly string[]) =>
    (
      await many<{ name: string }>(
        pool,
        `select attname as name from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped and not attname = any($2) order by attnum`,
        [table, without],
      )
    ).map((c) => c.name)
  const later = (column: string, alias: string) => `${alias}.${column} - make_interval(secs => (${DAYS} * 86400.0 * t.t / ${times}))`
  const shifted = (names: readonly string[], alias: string, exact: Readonly<Record<string, string>>) =>
    names.map((c) => exact[c] ?? (/_at$|^at$|^tried_since$/.test(c) ? later(c, alias) : `${alias}.${c}`)).join(', ')
  await pool.query(
    "create table public.map_run as select r.id as old, t.t, nextval(pg_get_serial_sequence('rappel.run', 'id')) as new from rappel.run r, generate_series(1, $1::int) t (t)",
    [times - 1],
  )
  await pool.query(
    "create table public.map_message as select m.id as old, t.t, nextval(pg_get_serial_sequence('rappel.message', 'id')) as new from rappel.message m, generate_series(1, $1::int) t (t)",
    [times - 1],
  )
  await pool.query('create unique index on public.map_run (old, t); create unique index on public.map_message (old, t); analyze public.map_run; analyze public.map_message')
  const run = await columns('rappel.run', ['id'])
  await pool.query(
    `insert into rappel.run (id, ${run.join(', ')}) overriding system value select t.new, ${shifted(run, 'r', { key: "r.key || ' ' || t.t", workflow: `1 + (r.workflow + t.t) % ${WORKFLOWS}`, version: '1' })}
       from rappel.run r join public.map_run t on t.old = r.id`,
  )
  const message = await columns('rappel.message', ['id'])
  await pool.query(
    `insert into rappel.message (id, ${message.join(', ')}) overriding system value
     select t.new, ${shifted(message, 'm', { message_id: "'<' || t.t || '.' || substr(m.message_id, 2)", run: 'r.new', workflow: `1 + (m.workflow + t.t) % ${WORKFLOWS}` })}
       from rappel.message m join public.map_message t on t.old = m.id join public.map_run r on r.old = m.run and r.t = t.t`,
  )
  for (const table of ['rappel.message_recipient', 'rappel.delivery_attempt']) {
    const names = await columns(table, ['message'])
    await pool.query(
      `insert into ${table} (message, ${names.join(', ')}) select t.new, ${shifted(names, 'x', { address: `'p' || (1 + (x.message * 7919 + t.t) % ${PEOPLE}) || '@staff.example'` })} from ${table} x join public.map_message t on t.old = x.message`,
    )
  }
  await pool.query('drop table public.map_run, public.map_message')
}

/** A year of changes, written by statements as programs write them, each at its time. */
async function makeChanges(pool: Pool): Promise<void> {
  const perStatement = Math.ceil(CHANGES / DAYS / BUSY)
  const client = await pool.connect()
  try {
    for (let day = DAYS; day > 0; day--)
      for (let i = 0; i < BUSY; i++) {
        await client.query('begin')
        await client.query(`select set_config('rappel.clock', (now() - make_interval(days => $1))::text, true)`, [day])
        await client.query(
          `update data.cases_${i} set amount = amount + 1, status = (array['New', 'Open', 'Waiting', 'Closed'])[1 + (id + $1) % 4], field_3 = $1
            where id > $3 and id <= $3 + $2`,
          [day, perStatement, (day * 997) % Math.max(1, RECORDS / BUSY - perStatement)],
        )
        await client.query('truncate rappel.queue')
        await client.query('commit')
      }
  } finally {
    client.release()
  }
}

async function stop(child: ChildProcess): Promise<void> {
  const ended = new Promise((resolve) => child.once('exit', resolve))
  child.kill('SIGTERM')
  await ended
}

async function lookAtPages(pool: Pool, url: string): Promise<void> {
  const port = await freePort()
  const web = spawn(process.execPath, ['scripts/lib/web-server.mjs', '--port', String(port)], {
    env: { ...process.env, NODE_ENV: 'production', DATABASE_URL: url, RAPPEL_PORT: String(port), RAPPEL_BASE_URL: `http://127.0.0.1:${port}` },
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  const at = `http://127.0.0.1:${port}`
  await until(
    'the web server',
    () =>
      fetch(`${at}/api/v1/health`).then(
        () => true,
        () => false,
      ),
    60_000,
  )
  const cookie = await administratorsCookie(pool, port)
  const { run, change } = await one<{ run: number; change: number }>(pool, 'select (select max(id) from rappel.run) as run, (select max(id) from rappel_log.cases_0) as change')
  const pages = [
    '/',
    '/workflows',
    '/workflows/new',
    '/workflows/Alert%2012',
    '/workflows/Alert%2012/versions',
    '/workflows/Alert%2012/dry-run',
    '/records',
    '/records/cases_0',
    '/records/cases_0?order=-amount',
    '/records/cases_0/100',
    '/records/cases_0/fields',
    '/records/cases_77',
    '/records/cases_0/import',
    `/changes/${change}?table=cases_0`,
    `/changes/${change}`,
    '/runs',
    '/runs?state=failed',
    `/runs/${run}`,
    '/messages',
    '/messages?q=p77%40staff.example',
    '/figures',
    '/templates',
    '/people',
    '/people/p77%40staff.example',
    '/people/mail',
    '/bulk',
    '/settings',
    '/settings/audit',
    '/settings/api',
    '/under-the-hood',
    '/account',
  ]
  const asked = new RegExp(process.env.SIZE_PAGES ?? '')
  for (const page of pages.filter((p) => asked.test(p))) {
    const times: number[] = []
    let status = 0
    for (let i = 0; i < LOOKS; i++) {
      const start = performance.now()
      const response = await fetch(`${at}${page}`, { headers: { cookie }, redirect: 'manual' })
      await response.text()
      times.push(performance.now() - start)
      status = response.status
    }
    const ms = median(times)
    report(`page ${page}${status === 200 ? '' : ` (${status})`}`, `${ms.toFixed(0)} ms, first ${must(times[0]).toFixed(0)}`, 'under 300 ms', ms < PAGE_MS && status === 200)
  }
  await stop(web)
}
