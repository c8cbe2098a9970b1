import { randomBytes } from 'node:crypto'
import pg, { type Pool } from 'pg'
import { createPool } from '@/store/database'
import { migrate } from '@/store/migrate'

/** What secrets are sealed with in tests, where there is no home to keep a key in. */
process.env.RAPPEL_KEY ??= randomBytes(32).toString('base64url')

function given(name: 'RAPPEL_TEST_ADMIN_URL' | 'RAPPEL_TEST_URL'): string {
  const url = process.env[name]
  if (!url) throw new Error(`${name} is not set: database tests are run by npm test, which starts a server for them.`)
  return url
}

/** The server as its superuser sees it, who makes databases. */
const adminUrl = () => given('RAPPEL_TEST_ADMIN_URL')

/** A database as the application sees it, whose role is no superuser. */
const urlOf = (name: string) => given('RAPPEL_TEST_URL').replace(/\/[^/]*$/, `/${name}`)

const owner = () => new URL(given('RAPPEL_TEST_URL')).username

/** Runs a statement as the server's superuser. */
export async function administer(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: adminUrl() })
  await client.connect()
  try {
    await client.query(sql)
  } finally {
    await client.end()
  }
}

/** A database of the tests' as the server's superuser reaches it. */
export function asSuperuser(url: string): string {
  const of = new URL(adminUrl())
  of.pathname = new URL(url).pathname
  return of.href
}

/** Makes the migrated database that every test's own is copied from, with whatever is added to it. */
export async function makeTemplate(add: (pool: Pool) => Promise<void> = async () => {}): Promise<void> {
  await administer('drop database if exists rappel_template')
  await administer(`create database rappel_template owner ${owner()}`)
  const pool = createPool(urlOf('rappel_template'))
  await migrate(pool)
  await add(pool)
  await pool.end()
}

/** A fresh, migrated database of one's own. */
export async function freshDatabase(): Promise<{ url: string; pool: Pool; drop: () => Promise<void> }> {
  const name = `t_${randomBytes(6).toString('hex')}`
  for (let tries = 0; ; tries++) {
    try {
      await administer(`create database ${name} template rappel_template strategy file_copy owner ${owner()}`)
      break
    } catch (error) {
      if (tries > 40 || !String(error).includes('being accessed')) throw error
      await new Promise((resolve) => setTimeout(resolve, 50)) // another test is copying the template at this moment
    }
  }
  const url = urlOf(name)
  const pool = createPool(url, { max: 8 })
  return {
    url,
    pool,
    drop: async () => {
      await pool.end()
      await administer(`drop database if exists ${name} with (force)`)
    },
  }
}

/** A fresh database with nothing in it, not even migrated. */
export async function emptyDatabase(): Promise<{ url: string; name: string }> {
  const name = `t_${randomBytes(6).toString('hex')}`
  await administer(`create database ${name} owner ${owner()}`)
  return { url: urlOf(name), name }
}

/** Empties the change log and the queue, as nothing in the application does. */
export async function forgetChanges(pool: Pool): Promise<void> {
  const { rows } = await pool.query<{ log: string }>('select rappel.log_name(tbl) as log from rappel.log_of')
  await pool.query(`truncate ${['rappel.change_json', 'rappel.queue', ...rows.map((r) => r.log)].join(', ')}`)
}

/** A migrated database that is kept from run to run, as what is in it takes long to make; whether it is new. Of two schemas that are not the same, the older is made anew. */
export async function keptDatabase(name: string): Promise<{ url: string; pool: Pool; isNew: boolean }> {
  const url = urlOf(name)
  const found = await isFilled(url)
  if (!found) {
    await administer(`drop database if exists ${name} with (force)`)
    await administer(`create database ${name} template rappel_template strategy file_copy owner ${owner()}`)
  }
  const pool = createPool(url, { max: 8 })
  if (found) await migrate(pool)
  return { url, pool, isNew: !found }
}

/** Notes that a kept database holds all that it is to hold. */
export const noteFilled = (pool: Pool) => pool.query('create table public.is_filled ()')

async function isFilled(url: string): Promise<boolean> {
  const client = new pg.Client({ connectionString: url })
  try {
    await client.connect()
    return (await client.query(`select from pg_class where oid = to_regclass('public.is_filled')`)).rowCount === 1
  } catch {
    return false
  } finally {
    await client.end().catch(() => undefined)
  }
}
