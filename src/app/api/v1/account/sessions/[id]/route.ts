import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { endSession } from '@/store/access/sessions'

/** Ends one of one's sessions. */
export const DELETE = route('DELETE /api/v1/account/sessions/[id]', async ({ actor: { person }, params }) => {
  const id = wholeNumber(params.id, 'id')
  if (person === null || !(await endSession(pool(), person, id))) throw new Problem(404, 'Not found', `You have no session ${id}.`)
  return new Response(null, { status: 204 })
})
