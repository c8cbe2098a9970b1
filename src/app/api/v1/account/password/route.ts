import { pool } from '@/app/_server/environment'
import { requireGoodPassword } from '@/app/_server/passwords'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { personByPassword } from '@/app/_server/signing-in'
import { tellOfChange } from '@/store/access/account-links'
import { hasPassword, proveSession, setPassword } from '@/store/access/sessions'
import { transaction } from '@/store/database'

/** Changes one's own password; one's other sessions end. Whoever has none yet gives none as the old one, and proved of late who they are. */
export const PUT = route('PUT /api/v1/account/password', async ({ actor, request, json }) => {
  const { session, person, email, name } = actor
  if (session === null || person === null || email === null) throw new Problem(422, 'Not valid', 'A token has no password. Sign in to change yours.')
  const { old, password } = objectOf(await json())
  const say = (message: string) => new Problem(422, 'Not valid', message, { problems: [{ code: 'not right', path: '/old', message }] })
  if (await hasPassword(pool(), person)) {
    if (typeof old !== 'string') throw say('Give the password you have now.')
    if (!(await personByPassword(request, email, old, 'password not right'))) throw say('That is not the password you have now.')
  } else if (!actor.isProved) throw say('Sign out and in again as you did before, then choose a password.')
  const chosen = await requireGoodPassword(password, { name, email })
  await transaction(pool(), async (db) => {
    await setPassword(db, person, chosen, session)
    await proveSession(db, session)
    await tellOfChange(db, person)
  })
  return new Response(null, { status: 204 })
})
