import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { many, transaction } from './database'
import { againAndAgain } from './lock-moments'

/** How long a migration waits for a lock before it tries again, and how often it does. */
const LOCK_WAIT_MS = 800
const MOST_TRIES = 120

const FOLDER = join(process.cwd(), 'src/store/migrations')

/**
 * Brings the database to this code's version: numbered files, forward only, one transaction each, the ledger's row first so that two
 * that race meet there.
 * @throws Error when the database was migrated by newer code than this
 */
export async function migrate(pool: Pool, folder = FOLDER): Promise<number> {
  await pool.query('create schema if not exists rappel')
  await pool.query('create table if not exists rappel.migration (number int primary key, name text not null, at timestamptz not null default now())')
  const files = (await readdir(folder)).filter((f) => /^\d{3}_.*\.sql$/.test(f)).sort()
  const done = new Set((await many<{ number: number }>(pool, 'select number from rappel.migration')).map((r) => r.number))
  const newest = Math.max(0, ...done)
  const known = Number(files[files.length - 1]?.slice(0, 3) ?? 0)
  if (newest > known) throw new Error(`The database is at migration ${newest}, this version of Rappel knows only ${known}. Run a newer version.`)
  let count = 0
  for (const file of files.filter((f) => !done.has(Number(f.slice(0, 3))))) {
    const sql = await readFile(join(folder, file), 'utf8')
    await step(pool, Number(file.slice(0, 3)), file, sql)
    count++
  }
  return count
}

/** Does one migration. Beside processes that work on, it waits a moment only for what they hold, so that they do not queue up behind it, and tries again. */
function step(pool: Pool, number: number, name: string, sql: string): Promise<void> {
  const migration = () =>
    transaction(pool, async (db) => {
      await db.query('insert into rappel.migration (number, name) values ($1, $2)', [number, name])
      await db.query(`set local lock_timeout = '${LOCK_WAIT_MS}ms'`)
      await db.query(sql)
    })
  return againAndAgain(migration, LOCK_WAIT_MS, MOST_TRIES)
}
