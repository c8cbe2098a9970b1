import { fork, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { ensureBuilt } from './lib/build.mjs'
import { clusterFolder, restartCluster, startCluster } from './lib/cluster.mjs'
import { prepareDatabase } from './lib/database.mjs'
import { childEnvironment, freePorts, ROOT, readEnvironment, say } from './lib/environment.mjs'
import { ensureDebian, ensureNode, ensurePackages } from './lib/install.mjs'
import { ensurePrograms, putTogether } from './lib/programs.mjs'

/**
 * Lets an installation of its own run for a while under load while everything about it is broken, then has an accountant count. As root its database lies on a small file system, which
 * is filled up now and then; elsewhere the disk is left alone, which is said.
 */
ensureNode()
ensurePackages()
ensureDebian(['postgresql'])
ensureBuilt()
const isRoot = process.getuid?.() === 0
const home = isRoot ? `/var/lib/postgresql/rappel-soak-${process.pid}` : join(ROOT, '.test-home/soak')
const isSmall = isRoot && makeSmallDisk()
if (!isSmall) say('The disk is not filled up: that needs root, who may mount a small file system.')
rmSync(join(home, 'cluster'), { recursive: true, force: true })
const [port, sinkPort, wirePort, pgPort, boardPort] = await freePorts(5)
const settings = readEnvironment({ ...process.env, RAPPEL_HOME: home, RAPPEL_PORT: String(port), RAPPEL_PG_PORT: String(pgPort), RAPPEL_SMTP_PORT: String(sinkPort) })
const cluster = await startCluster(settings)
const journal = join(ROOT, '.test-home/soak-arrivals.jsonl')
rmSync(journal, { force: true })
const programs = join(ROOT, '.test-home/soak-programs')
await putTogether({ soak: 'tests/soak/main.ts' }, programs)
const env = { ...childEnvironment(settings, cluster.url), RAPPEL_PROGRAMS: await ensurePrograms() }
let status = 1
try {
  if (!(await prepareDatabase(settings, cluster.url))) throw new Error('The installation could not be prepared.')
  status = await run()
} finally {
  if (!isClusterUp()) restartCluster(home)
  if (!process.env.SOAK_KEEP) {
    cluster.stop()
    if (isSmall) spawnSync('umount', [home])
    rmSync(home, { recursive: true, force: true })
  } else say(`The database is kept, at ${cluster.adminUrl.replace(/postgres$/, 'rappel')}`)
}
process.exit(status)

function run() {
  const child = fork(join(programs, 'soak.mjs'), process.argv.slice(2), {
    cwd: ROOT,
    env: {
      ...env,
      SOAK_HOME: home,
      SOAK_JOURNAL: journal,
      SOAK_PORTS: [port, sinkPort, wirePort, pgPort, boardPort].join(' '),
      SOAK_DATABASE_URL: cluster.url,
      ...(isSmall ? { SOAK_DISK: home } : {}),
      ...(fakeTime() ? { SOAK_FAKETIME: fakeTime() } : {}),
    },
  })
  child.on('message', async (what) => {
    if (what === 'kill database') await killDatabase()
    child.send('done')
  })
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill('SIGKILL'))
  return new Promise((resolve) => child.once('exit', (code) => resolve(code ?? 1)))
}

const postmaster = () => Number(readFileSync(join(clusterFolder(home), 'postmaster.pid'), 'utf8').split('\n')[0])

function isClusterUp() {
  try {
    process.kill(postmaster(), 0)
    return true
  } catch {
    return false
  }
}

async function killDatabase() {
  try {
    process.kill(postmaster(), 'SIGKILL')
  } catch {
    // it is down already
  }
  for (let i = 0; i < 20; i++) {
    await new Promise((resolve) => setTimeout(resolve, 1_000))
    if (restartCluster(home)) return // refused as long as a process of the one that was killed is there
  }
}

function makeSmallDisk() {
  mkdirSync(home, { recursive: true })
  spawnSync('chown', ['postgres:', home])
  return spawnSync('mount', ['-t', 'tmpfs', '-o', `size=${process.env.SOAK_DISK_SIZE ?? '6g'},mode=755`, 'rappel-soak', home]).status === 0
}

/** The library by which a process is told another time, where Debian's libfaketime is installed. */
function fakeTime() {
  const path = '/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1'
  return existsSync(path) ? path : undefined
}
