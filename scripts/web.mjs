import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { ensureBuilt } from './lib/build.mjs'
import { databaseOf } from './lib/database.mjs'
import { childEnvironment, ROOT, readEnvironment } from './lib/environment.mjs'
import { ensureNode, ensurePackages } from './lib/install.mjs'
import { ensurePrograms } from './lib/programs.mjs'

/** The web application alone, on a database that is there and up to date: one of several behind a proxy, each restarted by itself. */
ensureNode()
ensurePackages()
ensureBuilt()
const settings = readEnvironment()
const env = { ...childEnvironment(settings, databaseOf(settings)), RAPPEL_PROGRAMS: await ensurePrograms(), NODE_ENV: 'production' }
const child = spawn(process.execPath, [join(ROOT, 'scripts/lib/web-server.mjs'), '--port', String(settings.port)], {
  cwd: ROOT,
  stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  env,
})
for (const signal of ['SIGTERM', 'SIGINT']) process.on(signal, () => child.kill('SIGTERM'))
child.once('exit', (code) => process.exit(code ?? 1))
