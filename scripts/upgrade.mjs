import { spawnSync } from 'node:child_process'
import { databaseOf } from './lib/database.mjs'
import { childEnvironment, ROOT, readEnvironment } from './lib/environment.mjs'
import { ensureNode, ensurePackages } from './lib/install.mjs'
import { argumentsFor, ensurePrograms } from './lib/programs.mjs'

/** Brings the database of an installation up to this version, while processes of the version before go on. */
ensureNode()
ensurePackages()
const settings = readEnvironment()
const env = { ...childEnvironment(settings, process.env.DATABASE_URL ?? databaseOf(settings)), RAPPEL_PROGRAMS: await ensurePrograms() }
process.exit(spawnSync(process.execPath, argumentsFor('src/demo/prepare.ts', env.RAPPEL_PROGRAMS), { cwd: ROOT, stdio: 'inherit', env }).status ?? 1)
