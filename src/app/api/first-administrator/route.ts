import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { refuseOtherSites, route } from '@/app/_server/route'
import { passwordFault } from '@/core/access/password'
import { isAddress } from '@/core/recipients/address'
import { isLocale } from '@/core/values/format'
import { createFirstAdministrator } from '@/store/access/first-administrator'
import { zoneKnownAs } from '@/store/zones'

/** Creates the first administrator, once; the organisation gets the time zone and the locale of their browser, where they are known here. */
export const POST = route('POST /api/first-administrator', async ({ request, json }) => {
  refuseOtherSites(request)
  const given = objectOf(await json())
  const textOf = (member: string) => (typeof given[member] === 'string' ? given[member] : '')
  const [name, email, organisation] = [textOf('name').trim(), textOf('email').trim(), textOf('organisation').trim()]
  const password = textOf('password')
  const problems: { code: string; path: string; message: string }[] = []
  const say = (path: string, message: string) => problems.push({ code: 'not valid', path, message })
  if (!name) say('/name', 'Give your name.')
  if (!isAddress(email)) say('/email', 'Give your e-mail address.')
  const fault = passwordFault(password, [name, email, organisation])
  if (fault) say('/password', fault)
  if (!organisation) say('/organisation', 'Give your organisation’s name.')
  if (problems.length) throw new Problem(422, 'Not valid', problems.map((p) => p.message).join(' '), { problems })
  const zone = (await zoneKnownAs(pool(), textOf('zone'))) ?? undefined
  const locale = isLocale(textOf('locale')) ? textOf('locale') : undefined
  const created = await createFirstAdministrator(pool(), { name, email, password, organisation, zone, locale })
  if (!created) throw new Problem(409, 'Conflict', 'There is an administrator already. Sign in instead.')
  return { created: true }
})
