import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { refuseOtherSites, route } from '@/app/_server/route'
import { passwordFault, SHORTEST_PASSWORD } from '@/core/access/password'
import { isAddress } from '@/core/recipients/address'
import { createFirstAdministrator } from '@/store/access/first-administrator'

/** Creates the first administrator, once. */
export const POST = route('POST /api/first-administrator', async ({ request, json }) => {
  refuseOtherSites(request)
  const { name, email, password, organisation } = objectOf(await json())
  const problems: { code: string; path: string; message: string }[] = []
  const say = (path: string, message: string) => problems.push({ code: 'not valid', path, message })
  if (typeof name !== 'string' || !name.trim()) say('/name', 'Give your name.')
  if (typeof email !== 'string' || !isAddress(email.trim())) say('/email', 'Give your e-mail address.')
  const known = [name, email, organisation].filter((k) => typeof k === 'string')
  const fault = typeof password === 'string' ? passwordFault(password, known) : `Choose a password of at least ${SHORTEST_PASSWORD} characters.`
  if (fault) say('/password', fault)
  if (typeof organisation !== 'string' || !organisation.trim()) say('/organisation', 'Give your organisation’s name.')
  if (problems.length) throw new Problem(422, 'Not valid', problems.map((p) => p.message).join(' '), { problems })
  const created = await createFirstAdministrator(pool(), {
    name: (name as string).trim(),
    email: (email as string).trim(),
    password: password as string,
    organisation: (organisation as string).trim(),
  })
  if (!created) throw new Problem(409, 'Conflict', 'There is an administrator already. Sign in instead.')
  return { created: true }
})
