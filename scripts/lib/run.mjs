import { existsSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { ensureBuilt } from './build.mjs'
import { keepSecret, removeCluster, startCluster } from './cluster.mjs'
import { databaseOf } from './database.mjs'
import { childEnvironment, fail, readEnvironment, requireFreePort, requireWritable, say, webAddress } from './environment.mjs'
import { ensureDebian, ensureNode, ensurePackages } from './install.mjs'
import { Processes } from './processes.mjs'
import { ensurePrograms } from './programs.mjs'

/**
 * Brings an installation up and keeps it in the foreground until it is told to stop.
 * `demo` loads the demo's data once; `mode` is Next's: start or dev.
 */
export async function runInstallation({ demo, mode, fresh = false }) {
  ensureNode()
  ensurePackages()
  const settings = readEnvironment()
  requireWritable(settings.home)
  if (!settings.databaseUrl) ensureDebian(['postgresql'])
  const postRoom = demo || !process.env.RAPPEL_SMTP_URL
  await requireFreePort(settings.port, 'RAPPEL_PORT', 'the web application', webAddress().listen)
  if (postRoom) {
    await requireFreePort(settings.postRoomPort, 'RAPPEL_POST_ROOM_PORT', 'the post room')
    await requireFreePort(settings.smtpPort, 'RAPPEL_SMTP_PORT', 'the post room’s SMTP')
  }
  if (fresh) startOver(settings)
  if (mode === 'start') ensureBuilt()
  const programs = mode === 'start' ? { RAPPEL_PROGRAMS: await ensurePrograms() } : {}

  let cluster = null
  const processes = new Processes(settings.home)
  let ending = null
  const end = (code, sentence) => {
    ending ??= (async () => {
      if (sentence) process.stderr.write(`\n${sentence}\n`)
      await processes.stop()
      cluster?.stop()
      process.exit(code)
    })()
    return ending
  }
  process.on('SIGINT', () => void end(0))
  process.on('SIGTERM', () => void end(0))
  process.on('SIGHUP', () => void end(0))

  try {
    cluster = settings.databaseUrl ? null : await startCluster(settings)
    const databaseUrl = settings.databaseUrl ?? cluster.url
    keepSecret(settings.home, 'database-url', databaseUrl)
    const env = { ...childEnvironment(settings, databaseUrl), ...programs }
    await processes.finish('preparation', 'src/demo/prepare.ts', demo ? ['--demo'] : [], env)
    if (ending) return
    if (postRoom) await processes.start('post room', 'src/outside/post-room/main.ts', env)
    for (let i = 0; i < settings.workers; i++) await startWorker(processes, env)
    await processes.startWeb(mode === 'start' ? { ...env, NODE_ENV: 'production' } : env, { mode, port: settings.port })
  } catch (error) {
    if (!ending) await end(1, error.message)
    return
  }
  if (ending) return
  if (cluster)
    watchCluster(cluster, () => void end(1, 'The database stopped and could not be started again. Everything else is stopped with it; nothing that was committed is lost.'))
  say(`\nRappel is ready at ${settings.baseUrl}`)
  if (demo) say('Sign in as maren.voss@ternsay-ferries.example, password "ternsay" (administrator); the sign-in page names the others.')
  else say('The first visit creates the administrator.')
  say('Ctrl-C stops it.')
}

/** How often the private cluster is looked at, and how long it may be away, as it is while somebody restarts it, before it is started again. */
const LOOK_MS = 10_000
const AWAY_MS = 60_000

/** Starts the private cluster again where it is gone for long; tells where that is in vain. */
function watchCluster(cluster, onBroken) {
  let goneSince = null
  setInterval(() => {
    if (cluster.isRunning()) goneSince = null
    else goneSince ??= performance.now()
    if (goneSince === null || performance.now() - goneSince < AWAY_MS) return
    goneSince = null
    if (!cluster.restart()) onBroken()
  }, LOOK_MS).unref()
}

function startOver(settings) {
  if (settings.databaseUrl) fail('--fresh would empty the database at DATABASE_URL; unset it, or empty it yourself.')
  removeCluster(settings.home)
  for (const name of ['post-room', 'api-token', 'database-url', 'database-password']) rmSync(join(settings.home, name), { recursive: true, force: true })
}

/** One more worker on the database of the environment or of the home; only the part of one that RAPPEL_WORKER_PART names, where it does. */
export async function runWorker() {
  ensureNode()
  ensurePackages()
  const settings = readEnvironment()
  const databaseUrl = databaseOf(settings)
  if (!process.env.RAPPEL_KEY && !existsSync(join(settings.home, 'key')))
    fail(`The key that secrets are sealed with is not at ${join(settings.home, 'key')}. Copy it from the home of the installation's first machine, or give it in RAPPEL_KEY.`)
  const processes = new Processes(null)
  const { RAPPEL_WORKER_PART: part } = process.env
  try {
    await startWorker(processes, { ...childEnvironment(settings, databaseUrl), RAPPEL_PROGRAMS: await ensurePrograms() }, part ? [part] : PARTS)
  } catch (error) {
    await processes.stop()
    fail(error.message)
  }
  say('One more worker is running. Ctrl-C stops it.')
  const end = () => void processes.stop().then(() => process.exit(0))
  process.on('SIGINT', end)
  process.on('SIGTERM', end)
}

const PARTS = ['changes', 'mail']

/** A worker is two processes, so that it uses two cores: one decides what comes of changes, one delivers. */
async function startWorker(processes, env, parts = PARTS) {
  for (const part of parts) await processes.start(`worker (${part})`, 'src/engine/main.ts', { ...env, RAPPEL_WORKER_PART: part })
}
