import { copyFileSync, existsSync, readdirSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { SCHEMAS, sessionOf, withPassword } from './lib/database.mjs'
import { fail, makeFolder, readArguments, readEnvironment, say } from './lib/environment.mjs'

/**
 * Saves an installation, at work or not, as it is at one moment: its tables, their log, files, workflows and what waits, in one dump of PostgreSQL's own; and the key that its secrets are
 * sealed with, in a file apart, for whoever has both has the secrets. `npm run backup [-- folder] [--keep 30]`; `--keep`: of what this command saved there only so many of the newest stay.
 */
const { positionals, values } = readArguments('npm run backup -- [folder] [--keep 30]', { keep: { type: 'string' } }, 1)
const keep = values.keep === undefined ? null : Number(values.keep)
if (keep !== null && !(Number.isInteger(keep) && keep > 0)) fail(`--keep ${values.keep}: say how many of the newest backups stay, at least 1.`)
process.umask(0o077) // what is saved is nobody else's to read, wherever it is put
const settings = readEnvironment()
const url = sessionOf(settings)
const name = new Date().toISOString().slice(0, 19).replaceAll(/[-:]/g, '').replace('T', '-')
const folder = resolve(positionals[0] ?? join(settings.home, 'backups'))
makeFolder(folder, 0o700, 'Say another.')
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
if (keep !== null) removeOld(keep)

/** Removes what was saved here before the newest `keep`, and what was broken off a day ago or more. */
function removeOld(keep) {
  const names = readdirSync(folder)
  const saved = names.flatMap((file) => /^(rappel-\d{8}-\d{6})\.dump$/.exec(file)?.[1] ?? []).sort()
  const old = saved.slice(0, -keep).flatMap((one) => [`${one}.dump`, `${one}.key`])
  const brokenOff = names.filter((file) => /^rappel-\d{8}-\d{6}\.dump\.part$/.test(file) && statSync(join(folder, file)).mtimeMs < Date.now() - 86_400_000)
  for (const file of [...old, ...brokenOff]) rmSync(join(folder, file), { force: true })
  if (old.length) say(`${old.length / 2} older ${old.length === 2 ? 'one was' : 'ones were'} removed.`)
}
