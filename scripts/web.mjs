import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { ensureBuilt } from './lib/build.mjs'
import { databaseOf } from './lib/database.mjs'
import { childEnvironment, heldSocket, ROOT, readEnvironment } from './lib/environment.mjs'
import { ensureNode, ensurePackages } from './lib/install.mjs'
import { ensurePrograms } from './lib/programs.mjs'

/**
 * The web application alone, on a database that is there and up to date: one of several, each restarted by itself. They listen on a port each, behind a proxy; or all on one socket that is held for them,
 * so that no connection is lost whenever one ends.
 */
ensureNode()
ensurePackages()
ensureBuilt()
const settings = readEnvironment()
const env = { ...childEnvironment(settings, databaseOf(settings)), RAPPEL_PROGRAMS: await ensurePrograms(), NODE_ENV: 'production' }
const held = heldSocket()
const [handed, socket] = held === null ? [[], []] : [[held], ['--socket', '4']]
const child = spawn(process.execPath, [join(ROOT, 'scripts/lib/web-server.mjs'), '--port', String(settings.port), ...socket], {
  cwd: ROOT,
  stdio: ['ignore', 'inherit', 'inherit', 'ipc', ...handed],
  env,
})
child.once('message', () => process.stdout.write(`The web application listens on ${held === null ? `port ${settings.port}` : 'the socket that is held for it'}.\n`))
for (const signal of ['SIGTERM', 'SIGINT']) process.on(signal, () => child.kill('SIGTERM'))
child.once('exit', (code) => process.exit(code ?? 1))
