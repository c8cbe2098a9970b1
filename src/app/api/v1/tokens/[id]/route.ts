import { pool } from '@/app/_server/environment'
import { wholeNumber } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { revokeToken } from '@/store/tokens'

/** Ends a token at once. */
export const DELETE = route('DELETE /api/v1/tokens/[id]', async ({ params }) => {
  if (!(await revokeToken(pool(), wholeNumber(params.id ?? '', 'id')))) throw new Problem(404, 'Not found', `There is no valid token ${params.id}.`)
  return new Response(null, { status: 204 })
})
