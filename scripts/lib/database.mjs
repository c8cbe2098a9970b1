import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { takenFrom } from './checked.mjs'
import { childEnvironment, fail, ROOT } from './environment.mjs'
import { findPostgres } from './install.mjs'
import { argumentsFor, ensurePrograms } from './programs.mjs'

/** The schemas that are Rappel's own, and the one of its jobs. */
export const SCHEMAS = ['rappel', 'rappel_log', 'rappel_change', 'data', 'graphile_worker']

/** A schema that is there while a dump is restored: where that is broken off, nothing starts on what there is (`src/store/access/database-role.ts`). */
export const RESTORING = 'rappel_restoring'

/** The address of an installation's database: that of the environment, or of its home. */
export function databaseOf({ home, databaseUrl }) {
  const kept = join(home, 'database-url')
  const url = databaseUrl ?? (existsSync(kept) ? readFileSync(kept, 'utf8').trim() : null)
  if (!url) fail(`There is no database to work on: set DATABASE_URL, or start Rappel with RAPPEL_HOME=${home} first.`)
  return url
}

/** The same past a pooler, where one stands before it. */
export const sessionOf = (settings) => takenFrom(process.env).RAPPEL_SESSION_DATABASE_URL ?? databaseOf(settings)

/** Brings a database up to this version; whether that could be done, with what was said. */
export async function prepareDatabase(settings, url) {
  const env = { ...childEnvironment(settings, url), RAPPEL_PROGRAMS: await ensurePrograms() }
  return spawnSync(process.execPath, argumentsFor('src/demo/prepare.ts', env.RAPPEL_PROGRAMS), { cwd: ROOT, stdio: 'inherit', env }).status === 0
}

/** Runs a program of PostgreSQL's on a database; its password stands not among the arguments, where every program could read it. `‹url›` among them is the address; where it `isOffline` it is told none. */
export function withPassword(program, url, args, { isOffline = false } = {}) {
  const at = new URL(url)
  const { password } = at
  at.password = ''
  const folder = findPostgres()
  if (!folder) fail(`PostgreSQL's ${program} is not here. Install Debian's postgresql-client.`)
  const all = isOffline ? args : args.includes('‹url›') ? args.map((a) => (a === '‹url›' ? at.href : a)) : [...args, at.href]
  return spawnSync(join(folder, program), all, { encoding: 'utf8', env: { ...process.env, PGPASSWORD: decodeURIComponent(password), PGAPPNAME: `rappel restore ${program}` } })
}

/** Runs a statement that must succeed; what it says. */
export function sql(url, statement) {
  const { status, stdout, stderr } = withPassword('psql', url, ['-X', '-At', '-v', 'ON_ERROR_STOP=1', '-c', statement])
  if (status !== 0) fail(`The database did not do it:\n\n${stderr}`)
  return stdout.trim()
}
