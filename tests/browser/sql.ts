import pg from 'pg'
import { secret } from './installation'

/** Asks the demo's database by a connection of its own; the rows. */
export async function sql(text: string, values: readonly unknown[] = []): Promise<unknown[]> {
  const client = new pg.Client({ connectionString: secret('database-url') })
  await client.connect()
  try {
    return (await client.query(text, [...values])).rows
  } finally {
    await client.end()
  }
}
