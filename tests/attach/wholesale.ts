import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import pg, { type Pool } from 'pg'
import { administer, asSuperuser } from '../support/database'

/** The role that the other program works as, and owns its tables. */
const OWNER = 'wholesaler'

/** Another program's tables in a test's database, owned by a role that is not Rappel's, which is granted what its owner would grant. */
export async function makeWholesale(url: string): Promise<{ as: Pool; grant: (sql: string) => Promise<unknown>; end: () => Promise<void> }> {
  await administer(`do $$ begin create role ${OWNER} login; exception when duplicate_object or unique_violation then null; end $$`)
  const admin = new pg.Client({ connectionString: asSuperuser(url) })
  await admin.connect()
  const database = new URL(url).pathname.slice(1)
  await admin.query(`grant create on database ${database} to ${OWNER}`)
  await admin.query(`set role ${OWNER}`)
  await admin.query(readFileSync(join(__dirname, 'wholesale.sql'), 'utf8'))
  const role = new URL(url).username
  await admin.query(`grant usage on schema wholesale, "Old Stock" to ${role}; grant select, insert, update, delete, trigger on all tables in schema wholesale, "Old Stock" to ${role};
    grant usage on all sequences in schema wholesale to ${role}; set search_path = wholesale, public`)
  // whatever it does is done as its own role, which has no right to anything of Rappel's
  const as = new pg.Pool({ connectionString: asSuperuser(url), options: `-c role=${OWNER} -c search_path=wholesale,public`, max: 4 })
  return {
    as,
    grant: (sql) => admin.query(sql),
    end: async () => {
      await as.end()
      await admin.end()
    },
  }
}
