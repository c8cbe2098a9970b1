import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listSessions } from '@/store/access/sessions'
import { readTold } from '@/store/trouble'

/** Who one is, whether one is told when something is wrong, and one's sessions; a token has none. */
export const GET = route('GET /api/v1/account', async ({ actor: { name, email, role, person, session } }) => {
  const sessions = session === null || person === null ? [] : await listSessions(pool(), person)
  const { person: told } = await readTold(pool(), person)
  return { name, email, role, told, sessions: sessions.map((s) => ({ ...s, isThis: s.id === session })) }
})
