import { randomBytes } from 'node:crypto'
import pg, { type Pool } from 'pg'
import { createPool } from '@/store/database'
import { migrate } from '@/store/migrate'

const adminUrl = () => {
  const url = process.env.RAPPEL_TEST_ADMIN_URL
  if (!url) throw new Error('RAPPEL_TEST_ADMIN_URL is not set: database tests are run by npm test, which starts a server for them.')
  return url
}

async function administer(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: adminUrl() })
  await client.connect()
  try {
    await client.query(sql)
  } finally {
    await client.end()
  }
}

const urlOf = (name: string) => adminUrl().replace(/\/[^/]*$/, `/${name}`)

/** Makes the migrated database that every test's own is copied from. */
export async function makeTemplate(): Promise<void> {
  await administer('drop database if exists rappel_template')
  await administer('create database rappel_template')
  const pool = createPool(urlOf('rappel_template'))
  await migrate(pool)
  await pool.end()
}

/** A fresh, migrated database of one's own. */
export async function freshDatabase(): Promise<{ url: string; pool: Pool; drop: () => Promise<void> }> {
  const name = `t_${randomBytes(6).toString('hex')}`
  for (let tries = 0; ; tries++) {
    try {
      await administer(`create database ${name} template rappel_template`)
      break
    } catch (error) {
      if (tries > 40 || !String(error).includes('being accessed')) throw error
      await new Promise((resolve) => setTimeout(resolve, 50)) // another test is copying the template at this moment
    }
  }
  const url = urlOf(name)
  const pool = createPool(url, { max: 8 })
  return {
    url,
    pool,
    drop: async () => {
      await pool.end()
      await administer(`drop database if exists ${name} with (force)`)
    },
  }
}
