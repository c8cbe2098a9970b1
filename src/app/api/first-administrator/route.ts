import { pool } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { Problem, refuseOtherSites, route } from '@/app/_server/route'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { putPerson } from '@/store/people'
import { hasAdministrator, setPassword } from '@/store/sessions'
import { writeSettings } from '@/store/settings'

const SHORTEST_PASSWORD = 10

/** Creates the first administrator, once. */
export const POST = route('POST /api/first-administrator', async ({ request, json }) => {
  refuseOtherSites(request)
  const { name, email, password, organisation } = objectOf(await json())
  const problems: { code: string; path: string; message: string }[] = []
  const say = (path: string, message: string) => problems.push({ code: 'not valid', path, message })
  if (typeof name !== 'string' || !name.trim()) say('/name', 'Give your name.')
  if (typeof email !== 'string' || !isAddress(email.trim())) say('/email', 'Give your e-mail address.')
  if (typeof password !== 'string' || password.length < SHORTEST_PASSWORD) say('/password', `Choose a password of at least ${SHORTEST_PASSWORD} characters.`)
  if (typeof organisation !== 'string' || !organisation.trim()) say('/organisation', 'Give your organisation’s name.')
  if (problems.length) throw new Problem(422, 'Not valid', problems.map((p) => p.message).join(' '), { problems })
  await transaction(pool(), async (db) => {
    await db.query(`select pg_advisory_xact_lock(hashtext('rappel.first'))`)
    if (await hasAdministrator(db)) throw new Problem(409, 'Conflict', 'There is an administrator already. Sign in instead.')
    const [first_name, ...last] = (name as string).trim().split(/\s+/)
    const person = await putPerson(db, (email as string).trim(), { name: (name as string).trim(), first_name, last_name: last.join(' ') || null, role: 'administrator' })
    await setPassword(db, person.id, password as string)
    await writeSettings(db, { name: (organisation as string).trim(), sender: { name: (organisation as string).trim(), address: (email as string).trim() } })
  })
  return { created: true }
})
