import { existsSync, readFileSync } from 'node:fs'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { must } from '@/core/must'
import { checkDatabase, checkRole } from '@/store/access/database-role'
import { ensureKey } from '@/store/access/sealed'
import { sealSecrets } from '@/store/access/secrets'
import { createToken, readToken } from '@/store/access/sessions'
import { createPool, sessionUrl, setRole } from '@/store/database'
import { setFolding } from '@/store/folding'
import { migrate } from '@/store/migrate'
import { settleIn } from '@/store/place'
import { endUnreachable } from '@/store/unreachable'
import { clearBroken, stageOf } from './beginning'
import { loadDemo } from './load'

const { DATABASE_URL, RAPPEL_HOME = '.rappel', RAPPEL_BASE_URL = 'http://127.0.0.1:4170', RAPPEL_POST_ROOM_PORT = '4171' } = process.env

/** Keeps an administrator's token in the home, for programs on this machine; makes it anew where it is not known any more. */
async function ensureToken(pool: Pool): Promise<void> {
  const path = join(RAPPEL_HOME, 'api-token')
  if (existsSync(path) && (await readToken(pool, readFileSync(path, 'utf8').trim()))) return
  const token = await createToken(pool, 'this machine', null, 'administrator')
  await writeFile(path, `${token}\n`, { mode: 0o600 })
}

const say = (line: string) => process.stdout.write(`${line}\n`)

/** Ends with what has to be mended first. */
function stop(sentences: readonly string[]): never {
  process.stderr.write(`${sentences.join('\n')}\n`)
  process.exit(1)
}

/** Brings the database to where the programs can use it. */
async function bringUp(pool: Pool): Promise<void> {
  if (process.env.RAPPEL_SESSION_DATABASE_URL) await setRole(pool)
  await migrate(pool)
  await setFolding(pool)
  if (await settleIn(pool))
    say('This database was restored from a copy: nothing is decided or sent before an administrator says so, on the first page or by npm run rappel -- wake.')
  for (const sentence of await sealSecrets(pool)) say(sentence)
  await ensureToken(pool)
}

/** Loads the demo where it is not loaded; what was broken off is begun anew. */
async function ensureDemo(pool: Pool): Promise<void> {
  const stage = await stageOf(pool)
  if (stage === 'loaded') return
  if (stage === 'of others')
    stop([
      `The database holds an installation already, and the demo is loaded into an empty one only. Start it with npm start, or give the demo a home of its own: RAPPEL_HOME=.demo npm run demo`,
    ])
  if (stage === 'broken off') {
    say('The demo was not loaded to its end last time; it begins anew.')
    await clearBroken(pool, RAPPEL_HOME)
    await bringUp(pool)
  }
  say('Loading the demo: 90 days of Ternsay Ferries …')
  await loadDemo(pool, {
    databaseUrl: must(DATABASE_URL),
    home: RAPPEL_HOME,
    baseUrl: RAPPEL_BASE_URL,
    postRoomUrl: `http://127.0.0.1:${RAPPEL_POST_ROOM_PORT}`,
    now: new Date(),
    say,
  })
}

const url = sessionUrl(must(DATABASE_URL))
const pool = createPool(url, { max: 4 })
try {
  ensureKey()
  const { stops: ofRole, warnings } = await checkRole(pool).catch((error: unknown) => endUnreachable(error, url))
  const stops = [...(await checkDatabase(pool)), ...ofRole]
  if (stops.length) stop(stops)
  for (const sentence of warnings) say(sentence)
  await bringUp(pool)
  if (process.argv.includes('--demo')) await ensureDemo(pool)
} finally {
  await pool.end()
}
