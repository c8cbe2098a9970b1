import { spawnSync } from 'node:child_process'
import { databaseOf } from './lib/database.mjs'
import { childEnvironment, ROOT, readEnvironment } from './lib/environment.mjs'
import { ensureNode, ensurePackages } from './lib/install.mjs'
import { argumentsFor, ensurePrograms } from './lib/programs.mjs'

ensureNode()
ensurePackages()
const settings = readEnvironment()
const env = { ...childEnvironment(settings, databaseOf(settings)), RAPPEL_BASE_URL: settings.baseUrl, RAPPEL_PROGRAMS: await ensurePrograms() }
const { status } = spawnSync(process.execPath, [...argumentsFor('src/engine/command/main.ts', env.RAPPEL_PROGRAMS), ...process.argv.slice(2)], { cwd: ROOT, stdio: 'inherit', env })
process.exit(status ?? 1)
