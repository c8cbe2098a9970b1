import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { many, transaction } from './database'

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
    await transaction(pool, async (db) => {
      await db.query('insert into rappel.migration (number, name) values ($1, $2)', [Number(file.slice(0, 3)), file])
      await db.query(sql)
    })
    count++
  }
  return count
}
