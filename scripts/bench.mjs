import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { ensureBuilt } from './lib/build.mjs'
import { startCluster } from './lib/cluster.mjs'
import { ROOT, readEnvironment, say } from './lib/environment.mjs'
import { ensureDebian, ensureNode, ensurePackages } from './lib/install.mjs'
import { ensurePrograms, putTogether } from './lib/programs.mjs'

ensureNode()
ensurePackages()
ensureDebian(['postgresql'])
ensureBuilt()

/** Measured on a durable cluster of its own: fsync on, as in an installation. */
const settings = readEnvironment({ ...process.env, RAPPEL_HOME: '.test-home/bench', RAPPEL_PG_PORT: '4373' })
const cluster = await startCluster(settings)

/** What is measured is what an installation runs: programs put together, not translated as they are loaded. */
const folder = join(ROOT, '.test-home/bench-programs')
await putTogether({ bench: 'tests/bench/main.ts' }, folder)
try {
  const { status } = spawnSync(process.execPath, [join(folder, 'bench.mjs'), ...process.argv.slice(2)], {
    cwd: ROOT,
    stdio: 'inherit',
    env: { ...process.env, RAPPEL_PROGRAMS: await ensurePrograms(), RAPPEL_TEST_ADMIN_URL: cluster.adminUrl, RAPPEL_TEST_URL: cluster.url },
  })
  if (status !== 0) process.exitCode = 1
} finally {
  cluster.stop()
}
say('Each figure is a ratio or a rate of this run, on this machine.')
