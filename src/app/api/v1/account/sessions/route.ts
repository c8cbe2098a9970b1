import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { endSessions } from '@/store/access/sessions'

/** Ends one's other sessions; how many there were. */
export const DELETE = route('DELETE /api/v1/account/sessions', async ({ actor: { person, session } }) => {
  if (person === null || session === null) throw new Problem(422, 'Not valid', 'A token has no sessions.')
  return { ended: await endSessions(pool(), person, session) }
})
