import type { Pool } from 'pg'
import { must } from '@/core/must'
import { createPool } from '@/store/database'
import { Counted } from './counted'
import { pool } from './environment'
import { kept } from './kept'

/** Where what is counted over weeks of mail is counted: where nobody waits for it, by one process of the database's, which leaves the others to whoever decides and delivers. */
function counting(isUnhurried: boolean): Pool {
  if (!isUnhurried) return pool()
  return kept('counting', () => createPool(must(process.env.DATABASE_URL), { max: 1, name: 'rappel web, counting', isUnhurried }))
}

/** Something counted in the database; `count` answers for a number, as `Counted` says. */
export const countedIn = <T>(count: (db: Pool, of: number) => Promise<T>): Counted<T> => new Counted((of, isUnhurried) => count(counting(isUnhurried), of))
