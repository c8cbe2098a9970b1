import { pool } from '@/app/_server/environment'
import { renamed } from '@/app/_server/rename'
import { requireProof, route } from '@/app/_server/route'
import { personByEmail } from '@/store/people'

/** Gives somebody another e-mail, and whatever names them with it; 409 with the places, unless `anyway`. */
export const POST = route('POST /api/v1/people/[email]/rename', async ({ actor, params, body }) => {
  const { to, anyway } = await body()
  if ((await personByEmail(pool(), params.email))?.role) requireProof(actor)
  const { name, uses } = await renamed({ thing: 'person', from: params.email, to }, anyway, actor.person)
  return { email: name, uses }
})
