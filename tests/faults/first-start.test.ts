import { spawn } from 'node:child_process'
import { chmodSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { until } from '../support/engine'
import { freePort } from '../support/servers/ports'

const START = `import('./scripts/lib/cluster.mjs').then(async ({ startCluster }) => {
  const cluster = await startCluster({ home: process.env.HOME_TRIED, pgPort: Number(process.env.PORT_TRIED) }, { durable: false })
  cluster.stop()
  process.exit(0)
})`

test('a first start that is killed while the database is being made is begun anew by the next', async () => {
  const home = mkdtempSync(join(tmpdir(), 'rappel-first-'))
  const port = await freePort()
  chmodSync(home, 0o755) // user postgres has to reach it, where the tests are run by root
  const start = () => spawn(process.execPath, ['--input-type=module', '-e', START], { env: { ...process.env, HOME_TRIED: home, PORT_TRIED: String(port) }, stdio: 'ignore' })
  const ended = (child: ReturnType<typeof start>) => new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code)))
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
