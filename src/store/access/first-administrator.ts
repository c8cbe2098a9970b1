import type { Pool } from 'pg'
import { transaction } from '../database'
import { putPerson } from '../people'
import { writeSettings } from '../settings'
import { hasAdministrator, setPassword } from './sessions'

/** Creates the first administrator and names the organisation; false where there is an administrator already. */
export function createFirstAdministrator(pool: Pool, given: { name: string; email: string; password: string; organisation: string }): Promise<boolean> {
  return transaction(pool, async (db) => {
    await db.query(`select pg_advisory_xact_lock(hashtext('rappel.first'))`)
    if (await hasAdministrator(db)) return false
    const [first_name, ...last] = given.name.split(/\s+/)
    const person = await putPerson(db, given.email, { name: given.name, first_name, last_name: last.join(' ') || null, role: 'administrator' })
    await setPassword(db, person.id, given.password)
    await writeSettings(db, { name: given.organisation, sender: { name: given.organisation, address: given.email } })
    return true
  })
}
