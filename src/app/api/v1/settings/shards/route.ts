import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { callerOf } from '@/app/_server/signing-in'
import { noteDeed } from '@/store/access/audit'
import { readShards, SHARDS, setShards } from '@/store/shards'

/** Over how many shards changes are spread. */
export const GET = route('GET /api/v1/settings/shards', async () => ({ shards: await readShards(pool()), can: SHARDS }))

/** Spreads changes over another number of shards. */
export const PUT = route('PUT /api/v1/settings/shards', async ({ actor, body, request }) => {
  const { shards } = await body()
  const what = await setShards(pool(), shards)
  if (what === 'not through')
    throw new Problem(
      409,
      'Not over yet',
      'The number was changed just now, and a transaction that began before is still open or its changes still wait. Try again in a moment; nothing was changed.',
    )
  if (what === 'set') await noteDeed(pool(), { by: actor.by, caller: callerOf(request), what: 'changed the number of shards', subject: String(shards) })
  return { shards }
})
