import { spawn, spawnSync } from 'node:child_process'
import { mkdir, mkdtemp, readdir, rm, stat, truncate, utimes, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { must } from '@/core/must'
import { createPool, many, one } from '@/store/database'
import { readAsleep, settleIn } from '@/store/place'
import { freshDatabase } from '../support/database'
import { killed } from '../support/worker-process'

let home: string
let database: Awaited<ReturnType<typeof freshDatabase>>
let dump: string
/** Named otherwise than what is Rappel's, which must not be connected meanwhile. */
let pool: Pool
beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-restore-'))
  database = await freshDatabase()
  pool = createPool(database.url, { name: 'whoever looks' })
  await pool.query(`insert into rappel.person (name, email) select 'P' || i, 'p' || i || '@office.example' from generate_series(1, 2000) i`)
  await pool.query(
    `insert into rappel.setting (key, value) values ('where', to_jsonb((select system_identifier from pg_control_system())::text || ' ' || (select oid from pg_database where datname = current_database())::text))`,
  )
  expect(script('backup', join(home, 'saved')).status).toBe(0)
  dump = join(home, 'saved', must((await readdir(join(home, 'saved'))).find((f) => f.endsWith('.dump'))))
})
afterEach(async () => {
  await pool.end()
  await database.drop()
  await rm(home, { recursive: true, force: true })
})

const environment = () => ({ ...process.env, DATABASE_URL: database.url, RAPPEL_HOME: home })

const script = (name: string, ...args: string[]) => spawnSync(process.execPath, [`scripts/${name}.mjs`, ...args], { encoding: 'utf8', env: environment() })

const people = async () => (await one<{ n: number }>(pool, 'select count(*)::int as n from rappel.person')).n

/** Waits until a statement finds something. */
async function found(sql: string): Promise<void> {
  while ((await many(pool, sql)).length === 0) await new Promise((resolve) => setTimeout(resolve, 20))
}

test('what is saved is nobody else’s to read', async () => {
  expect((await stat(dump)).mode & 0o077).toBe(0)
  expect((await readdir(join(home, 'saved'))).filter((name) => name.endsWith('.part'))).toEqual([])
})

test('so many of the newest stay as was said, and nothing that was not saved here goes', async () => {
  const folder = join(home, 'kept')
  await mkdir(folder)
  const others = ['rappel-notes.txt', 'rappel-20200101-000000.dump.other']
  const old = ['rappel-20200101-000000', 'rappel-20200102-000000'].flatMap((name) => [`${name}.dump`, `${name}.key`])
  for (const name of [...others, ...old, 'rappel-20200103-000000.dump.part']) await writeFile(join(folder, name), 'x')
  await utimes(join(folder, 'rappel-20200103-000000.dump.part'), new Date(0), new Date(0))
  expect(script('backup', folder, '--keep', '2')).toMatchObject({ status: 0, stdout: expect.stringContaining('1 older one was removed') })
  const left = await readdir(folder)
  expect(left.filter((name) => name.startsWith('rappel-2020') || others.includes(name)).sort()).toEqual([
    'rappel-20200101-000000.dump.other',
    'rappel-20200102-000000.dump',
    'rappel-20200102-000000.key',
    'rappel-notes.txt',
  ])
  expect(left.filter((name) => name.endsWith('.dump'))).toHaveLength(2)
  expect(script('backup', folder, '--keep', 'all')).toMatchObject({ status: 1, stderr: expect.stringContaining('how many of the newest') })
})

test('a dump that was cut off is refused before anything is thrown away', async () => {
  await truncate(dump, Math.floor((await stat(dump)).size * 0.9))
  const { status, stderr } = script('restore', dump, '--over')
  expect([status, stderr]).toEqual([1, expect.stringContaining('nothing was touched')])
  expect(await people()).toBe(2_000)
})

test('where a restore was broken off nothing starts on what there is; restored again, it waits as any does', async () => {
  const child = spawn(process.execPath, ['scripts/restore.mjs', dump, '--over'], { env: environment(), stdio: 'ignore' })
  await found(`select where to_regnamespace('rappel_restoring') is not null and to_regclass('rappel.person') is not null and to_regclass('rappel.setting') is not null
               and exists (select from pg_stat_activity where application_name like 'rappel restore pg_restore')`)
  await killed(child)
  await found(`select where not exists (select from pg_stat_activity where datname = current_database() and application_name like 'rappel restore%')`) // what it had started goes on by itself
  const start = script('upgrade') // prepares the database, as every start does
  expect([start.status, start.stderr]).toEqual([1, expect.stringContaining('was broken off')])
  await expect(settleIn(pool, { places: [], seen: null })).rejects.toThrow('was broken off') // as a worker does that comes to it
  expect(script('restore', dump, '--over')).toMatchObject({ status: 0 })
  expect(await people()).toBe(2_000)
  expect(await readAsleep(pool)).toMatchObject({ why: 'restored' })
})
