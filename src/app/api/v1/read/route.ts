import { apart } from '@/app/_server/environment'
import { route } from '@/app/_server/route'

/** Words in: a sentence, or a brief written out, read into a workflow; what was not understood is marked, and other ways in which it can be meant are offered. */
export const POST = route('POST /api/v1/read', async ({ actor, body, inTurn }) => {
  const { text, table } = await body()
  return inTurn(() => apart().run('read words', { text: String(text), table: typeof table === 'string' ? table : null, me: actor.email }))
})
