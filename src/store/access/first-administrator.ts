import type { Pool } from 'pg'
import { transaction } from '../database'
import { putPerson } from '../people'
import { writeSettings } from '../settings'
import { tellPerson } from '../trouble'
import { hasAdministrator, setPassword } from './sessions'

/** Who administers a new installation, what the organisation is called, and its time zone and locale, where they are known. */
export interface First {
  readonly name: string
  readonly email: string
  readonly password: string
  readonly organisation: string
  readonly zone?: string
  readonly locale?: string
}

/** Creates the first administrator, who is told by mail what is wrong, and names the organisation; false where there is an administrator already. */
export function createFirstAdministrator(pool: Pool, given: First): Promise<boolean> {
  return transaction(pool, async (db) => {
    await db.query(`select pg_advisory_xact_lock(hashtext('rappel.first'))`)
    if (await hasAdministrator(db)) return false
    const [first_name, ...last] = given.name.split(/\s+/)
    const person = await putPerson(db, given.email, { name: given.name, first_name, last_name: last.join(' ') || null, role: 'administrator' })
    await setPassword(db, person.id, given.password)
    await tellPerson(db, person.id, true)
    const { organisation, zone, locale } = given
    await writeSettings(db, { name: organisation, sender: { name: organisation, address: given.email }, zone, locale }) // what is not known is left out by JSON
    return true
  })
}
