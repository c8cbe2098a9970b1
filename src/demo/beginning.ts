import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { SCHEMAS } from '@/store/access/database-role'
import { one } from '@/store/database'
import { readMark, writeMark } from '@/store/settings'

const BEGUN = 'demo begun'
const LOADED = 'demo'

/** How far the demo has come in a database: to be loaded into it, loaded, broken off meanwhile, or nothing for a database that holds an installation of somebody's. */
export type Stage = 'to load' | 'loaded' | 'broken off' | 'of others'

/** How far the demo has come, in a database that is migrated. */
export async function stageOf(pool: Pool): Promise<Stage> {
  if ((await readMark(pool, LOADED)) !== null) return 'loaded'
  if ((await readMark(pool, BEGUN)) !== null) return 'broken off'
  const { held } = await one<{ held: boolean }>(pool, 'select exists (select from rappel.person) or exists (select from rappel.table_def) as held')
  return held ? 'of others' : 'to load'
}

/** Notes that the demo is being loaded: what is found of it without its end was broken off. */
export const noteBegun = (pool: Pool): Promise<void> => writeMark(pool, BEGUN, true)

/** Notes that the demo is loaded, with what the sign-in page says of it. */
export const noteLoaded = (pool: Pool, demo: { readonly password: string; readonly people: readonly string[] }): Promise<void> => writeMark(pool, LOADED, demo)

/** Takes away what a demo that was broken off left: all of Rappel's in its database, and what its post room has. The database is to be migrated anew. */
export async function clearBroken(pool: Pool, home: string): Promise<void> {
  for (const schema of SCHEMAS) await pool.query(`drop schema if exists ${schema} cascade`)
  await rm(join(home, 'post-room'), { recursive: true, force: true })
}
