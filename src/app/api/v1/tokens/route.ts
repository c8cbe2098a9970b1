import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { createToken } from '@/store/access/sessions'
import { listTokens } from '@/store/access/tokens'
import { transaction } from '@/store/database'
import { personByEmail } from '@/store/people'

export const GET = route('GET /api/v1/tokens', async () => ({ tokens: await listTokens(pool()) }))

/** Makes a token; it is in this answer and never shown again. With `person` (an e-mail), what it writes is in that person's name. */
export const POST = route('POST /api/v1/tokens', async ({ actor, body }) => {
  requireProof(actor)
  const { name, role, person: email } = await body()
  const person = email ? await personByEmail(pool(), email) : null
  if (email && !person?.active) throw new Problem(422, 'Not valid', `Nobody active here has the address ${email}.`)
  return Response.json({ name, role, token: await transaction(pool(), (db) => createToken(db, name, person?.id ?? null, role)) }, { status: 201 })
})
