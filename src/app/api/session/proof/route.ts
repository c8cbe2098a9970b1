import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { personByPassword } from '@/app/_server/signing-in'
import { hasPassword, proveSession } from '@/store/access/sessions'

/** Proves anew who one is, by one's password, before what is delicate. */
export const POST = route('POST /api/session/proof', async ({ actor, request, json }) => {
  const { password } = objectOf(await json())
  if (actor.session === null || actor.email === null || actor.person === null) throw new Problem(422, 'Not valid', 'A token needs no proof.')
  if (typeof password !== 'string') throw new Problem(422, 'Not valid', 'Give your password.')
  if (!(await hasPassword(pool(), actor.person)))
    throw new Problem(409, 'No password', 'You have no password here. Sign out and in again as you did before; for ten minutes nothing more is asked.')
  if (!(await personByPassword(request, actor.email, password, 'password not right'))) throw new Problem(422, 'Not right', 'That is not your password.')
  await proveSession(pool(), actor.session)
  return new Response(null, { status: 204 })
})
