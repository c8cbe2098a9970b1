import { type ChildProcess, spawn } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { must } from '@/core/must'
import { stageOf } from '@/demo/beginning'
import { loadDemo } from '@/demo/load'
import { TABLES } from '@/demo/tables'
import { createRecord } from '@/store/records'
import { putTable } from '@/store/tables'
import { freshDatabase } from '../support/database'
import { killed } from '../support/worker-process'

let home: string
let database: Awaited<ReturnType<typeof freshDatabase>>

beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-demo-'))
  database = await freshDatabase()
})

afterEach(async () => {
  await database.drop()
  await rm(home, { recursive: true, force: true })
})

/** The preparation as the start command runs it, and all that it says. */
function prepare(): { child: ChildProcess; said: () => string } {
  const { RAPPEL_PROGRAMS: programs } = process.env
  const program = programs ? [join(programs, 'prepare.mjs')] : ['--import', 'tsx', 'src/demo/prepare.ts']
  const child = spawn(process.execPath, [...program, '--demo'], { env: { ...process.env, DATABASE_URL: database.url, RAPPEL_HOME: home }, stdio: ['ignore', 'pipe', 'pipe'] })
  let said = ''
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (part) => (said += part))
  return { child, said: () => said }
}

const count = async (pool: Pool) => Number((await pool.query<{ n: string }>('select count(*) as n from data.sailings')).rows[0]?.n)

/** Waits until so many sailings are loaded. @throws Error with what the preparation said, where it ended before */
async function loadedSome({ child, said }: ReturnType<typeof prepare>, n: number): Promise<void> {
  while ((await count(database.pool).catch(() => 0)) < n) {
    if (child.exitCode !== null) throw new Error(said())
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

test('a demo whose loading was broken off is begun anew by the next start, and nothing of it is there twice', async () => {
  const first = prepare()
  await loadedSome(first, 20)
  await killed(first.child)
  const left = await count(database.pool)
  expect(await stageOf(database.pool)).toBe('broken off')
  const second = prepare()
  let least = left
  while (least >= left) least = Math.min(least, await count(database.pool).catch(() => 0)) // it was emptied
  await loadedSome(second, 20)
  expect(second.said()).toContain('was not loaded to its end')
  await killed(second.child)
})

test('what goes wrong while the demo is loaded ends the loading and is told; it does not wait for ever', async () => {
  const first = must(TABLES[0])
  await putTable(database.pool, first)
  await createRecord(database.pool, first, { id: 1, name: 'Of somebody else' })
  const loading = loadDemo(database.pool, {
    databaseUrl: database.url,
    home,
    baseUrl: 'http://127.0.0.1:1',
    postRoomUrl: 'http://127.0.0.1:2',
    now: new Date(),
    say: () => undefined,
  })
  await expect(loading).rejects.toThrow(/already/)
})

test('the demo is not loaded beside what somebody has, who is told how it goes', async () => {
  await putTable(database.pool, must(TABLES[0]))
  const { child, said } = prepare()
  expect(await new Promise((resolve) => child.once('close', resolve))).toBe(1)
  expect(said()).toContain('holds an installation already')
  expect(await stageOf(database.pool)).toBe('of others')
})
