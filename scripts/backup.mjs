import { copyFileSync, existsSync, mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { SCHEMAS, sessionOf, withPassword } from './lib/database.mjs'
import { fail, readEnvironment, say } from './lib/environment.mjs'

/**
 * Saves an installation, at work or not, as it is at one moment: its tables, their log, files, workflows and what waits, in one dump of PostgreSQL's own; and the key that its secrets are
 * sealed with, in a file apart, for whoever has both has the secrets. `npm run backup [-- folder]`.
 */
const { positionals } = parseArgs({ allowPositionals: true, args: process.argv.slice(2) })
process.umask(0o077) // what is saved is nobody else's to read, wherever it is put
const settings = readEnvironment()
const url = sessionOf(settings)
const name = new Date().toISOString().slice(0, 19).replaceAll(/[-:]/g, '').replace('T', '-')
const folder = resolve(positionals[0] ?? join(settings.home, 'backups'))
mkdirSync(folder, { recursive: true, mode: 0o700 })
const dump = join(folder, `rappel-${name}.dump`)
const begun = `${dump}.part` // what is broken off is no dump
const { status, stderr } = withPassword('pg_dump', url, ['--format=custom', '--no-owner', '--no-privileges', ...SCHEMAS.map((schema) => `--schema=${schema}`), `--file=${begun}`])
if (status !== 0) {
  rmSync(begun, { force: true })
  fail(`The installation could not be saved:\n\n${stderr}`)
}
renameSync(begun, dump)
say(`Saved to ${dump}`)
const keyFile = join(folder, `rappel-${name}.key`)
const key = join(settings.home, 'key')
if (process.env.RAPPEL_KEY) writeFileSync(keyFile, `${process.env.RAPPEL_KEY}\n`, { mode: 0o600 })
else if (existsSync(key)) copyFileSync(key, keyFile)
if (existsSync(keyFile)) say(`The key that its secrets are sealed with is in ${keyFile}: keep it somewhere else than the dump.`)
else say(`There is no key at ${key} and none in RAPPEL_KEY: secrets in the dump can be opened only with the key that they were sealed with.`)
