import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { requireProof, route } from '@/app/_server/route'
import { revokeToken } from '@/store/access/tokens'
import { transaction } from '@/store/database'

/** Ends a token at once. */
export const DELETE = route('DELETE /api/v1/tokens/[id]', async ({ actor, params }) => {
  requireProof(actor)
  const id = wholeNumber(params.id, 'id')
  if (!(await transaction(pool(), (db) => revokeToken(db, id)))) throw new Problem(404, 'Not found', `There is no valid token ${params.id}.`)
  return new Response(null, { status: 204 })
})
