import type { Pool } from 'pg'
import { openSession } from '@/store/access/sessions'
import { one } from '@/store/database'

/** The cookie by which an installation at a port knows its first administrator, signed in. */
export async function administratorsCookie(pool: Pool, port: number | string): Promise<string> {
  const { id } = await one<{ id: number }>(pool, `select min(id)::int as id from rappel.person where role = 'administrator'`)
  return `rappel_${port}=${(await openSession(pool, id, { way: 'password', agent: null, caller: null })).token}`
}
