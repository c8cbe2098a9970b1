import { chmodSync, copyFileSync, existsSync } from 'node:fs'
import { join } from 'node:path'
import { startCluster } from './lib/cluster.mjs'
import { prepareDatabase, RESTORING, SCHEMAS, sql, withPassword } from './lib/database.mjs'
import { fail, readArguments, readEnvironment, say } from './lib/environment.mjs'
import { ensureDebian, ensurePackages } from './lib/install.mjs'

/**
 * Brings an installation back from a dump, into the database of DATABASE_URL or of the home. What was restored records changes and sends nothing before an administrator says so.
 * `npm run restore -- rappel-….dump [--key rappel-….key] [--over]`; `--over` throws away what the database holds.
 */
const { values, positionals } = readArguments(
  'npm run restore -- rappel-….dump [--key rappel-….key] [--over]',
  { key: { type: 'string' }, over: { type: 'boolean', default: false } },
  1,
)
const [dump] = positionals
if (!dump || !existsSync(dump)) fail(`Say which dump to restore: npm run restore -- rappel-….dump${dump ? `; there is none at ${dump}` : ''}`)
ensurePackages()
const settings = readEnvironment()
if (!settings.databaseUrl) ensureDebian(['postgresql'])
const cluster = settings.databaseUrl ? null : await startCluster(settings)
const url = settings.databaseUrl ?? cluster.url
try {
  await restore()
} finally {
  cluster?.stop()
}

async function restore() {
  const there = sql(url, `select string_agg(nspname, ', ') from pg_namespace where nspname in (${SCHEMAS.map((s) => `'${s}'`).join(', ')})`)
  if (there && !values.over) refuse(`The database holds an installation already (schemas ${there}). Give an empty one, or say --over to throw that away.`)
  const running = sql(
    url,
    `select count(*) from pg_stat_activity where datname = current_database() and application_name like 'rappel%' and application_name not like 'rappel restore%'`,
  )
  if (running !== '0') refuse('Something of Rappel is connected to the database. Stop it first.')
  const read = withPassword('pg_restore', url, ['--file=/dev/null', dump], { isOffline: true })
  if (read.status !== 0) refuse(`The dump cannot be read to its end, so nothing was touched:\n\n${read.stderr}`)
  sql(url, `create schema if not exists ${RESTORING}`)
  for (const schema of SCHEMAS) sql(url, `drop schema if exists ${schema} cascade`)
  const restored = withPassword('pg_restore', url, ['--no-owner', '--no-privileges', '--exit-on-error', '--dbname', '‹url›', dump])
  if (restored.status !== 0) refuse(`The dump could not be restored:\n\n${restored.stderr}`)
  sql(url, `insert into rappel.setting (key, value) values ('where', '"restored"') on conflict (key) do update set value = excluded.value; drop schema ${RESTORING}`)
  const key = join(settings.home, 'key')
  if (values.key) {
    copyFileSync(values.key, key)
    chmodSync(key, 0o600)
  } else if (!process.env.RAPPEL_KEY && !existsSync(key))
    say('No key was given (--key): secrets in the dump cannot be opened, and the start makes a new one and says what is lost.')
  if (!(await prepareDatabase(settings, url))) refuse('What was restored could not be brought up to date. The message stands above.')
  say('Restored. Start it with npm start; it decides and sends nothing before an administrator lets it go on.')
}

function refuse(sentence) {
  cluster?.stop()
  fail(sentence)
}
