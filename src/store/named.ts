import { type Queryable, touch } from './database'

/** Removes what workflows name, by its name; whether there was one. */
export async function removeNamed(db: Queryable, table: 'person_group' | 'template' | 'sender' | 'channel', name: string): Promise<boolean> {
  const count = await touch(db, `delete from rappel.${table} where name = $1`, [name])
  await db.query('select rappel.next_generation()')
  return count === 1
}
