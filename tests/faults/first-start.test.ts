import { type ChildProcess, spawn, spawnSync } from 'node:child_process'
import { chmodSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createPool, one } from '@/store/database'
import { until } from '../support/engine'
import { freePort } from '../support/servers/ports'

const START = `import('./scripts/lib/cluster.mjs').then(async ({ startCluster }) => {
  const cluster = await startCluster({ home: process.env.HOME_TRIED, pgPort: Number(process.env.PORT_TRIED) }, { durable: false })
  if (process.env.STAYS) return process.send(cluster.url) && setInterval(() => undefined, 1_000)
  cluster.stop()
  process.exit(0)
})`

/** A start on a home, by a process that ends once the database is up, or stays. */
function startOn(home: string, port: number, stays = false): ChildProcess {
  const env = { ...process.env, HOME_TRIED: home, PORT_TRIED: String(port), ...(stays ? { STAYS: 'yes' } : {}) }
  return spawn(process.execPath, ['--input-type=module', '-e', START], { env, stdio: ['ignore', 'ignore', 'pipe', 'ipc'] })
}

const ended = (child: ChildProcess) => new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code)))

test('a first start that is killed while the database is being made is begun anew by the next', async () => {
  const home = mkdtempSync(join(tmpdir(), 'rappel-first-'))
  const port = await freePort()
  chmodSync(home, 0o755) // user postgres has to reach it, where the tests are run by root
  const start = () => startOn(home, port)
  const first = start()
  const gone = ended(first)
  await until('the database to be begun', () => readdirSync(home, { recursive: true, encoding: 'utf8' }).some((name) => name.endsWith('PG_VERSION')))
  first.kill('SIGKILL')
  await gone
  expect(await ended(start())).toBe(0)
  expect(await ended(start())).toBe(0)
  expect(readdirSync(home).filter((name) => name.includes('begun'))).toEqual([])
  rmSync(home, { recursive: true, force: true })
}, 120_000)

test('what runs is not stopped by another start on its home, whatever its port, nor by a restore; a start that was killed leaves the home to the next', async () => {
  const home = mkdtempSync(join(tmpdir(), 'rappel-held-'))
  chmodSync(home, 0o755)
  const [port, other] = [await freePort(), await freePort()]
  const first = startOn(home, port, true)
  const url = await new Promise<string>((resolve) => first.once('message', (said) => resolve(String(said))))
  const pool = createPool(url)
  const answers = async () => (await one<{ n: number }>(pool, 'select 1 as n')).n
  const since = await one<{ at: string }>(pool, 'select pg_postmaster_start_time()::text as at')

  const second = startOn(home, other)
  let said = ''
  second.stderr?.on('data', (part) => (said += part))
  expect(await ended(second)).toBe(1)
  expect(said).toContain('is at work from')
  const dump = join(home, 'some.dump')
  writeFileSync(dump, '')
  const env: NodeJS.ProcessEnv = { ...process.env, RAPPEL_HOME: home, RAPPEL_PG_PORT: String(port) }
  delete env.DATABASE_URL
  const restore = spawnSync(process.execPath, ['scripts/restore.mjs', dump, '--over'], { encoding: 'utf8', env })
  expect([restore.status, restore.stderr]).toEqual([1, expect.stringContaining('is at work from')])
  expect(await answers()).toBe(1)
  expect(await one(pool, 'select pg_postmaster_start_time()::text as at')).toEqual(since)

  await pool.end()
  const gone = ended(first)
  first.kill('SIGKILL')
  await gone
  expect(await ended(startOn(home, port))).toBe(0)
  rmSync(home, { recursive: true, force: true })
}, 120_000)
