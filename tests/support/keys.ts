import type { Pool } from 'pg'
import type { Key, RecordId } from '@/core/values/tables'

/** The keys that records can have, and one that is narrower in the database than where it is kept. */
export const KEYS_TRIED = ['number', 'uuid', 'text'] as const satisfies readonly Key[]

/** The n-th id of a table with such keys, from 1 on; texts hold what addresses, SQL and JSON give a meaning to. All end in the number's last digit. */
export function keyed(key: Key, n: number): RecordId {
  const digits = String(n).padStart(4, '0')
  if (key === 'uuid') return `a1b2c3d4-0000-4000-8000-00000000${digits}`
  return key === 'text' ? `Ä'“/%2F ? #\\${digits}` : n
}

/** What a record of a table is made with where its key is not counted by the database. */
export const keyOf = (key: Key) => (key === 'number' ? {} : { key })

/** Has the database count keys in a type that is narrower than bigint, as tables of other programs do. */
export async function narrow(pool: Pool, table: string): Promise<void> {
  await pool.query(`alter table data.${table} alter column id type int`)
  await pool.query('select rappel.attach_capture($1)', [table])
}
