import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { callerOf } from '@/app/_server/signing-in'
import { noteDeed } from '@/store/access/audit'
import { listTold, readTroubleChannel, setTroubleChannel } from '@/store/trouble'

/** Who is told by mail when something is wrong, and the channel that is told. */
export const GET = route('GET /api/v1/settings/told', async () => ({ people: await listTold(pool()), channel: await readTroubleChannel(pool()) }))

/** Has a channel told when something is wrong, or none. */
export const PUT = route('PUT /api/v1/settings/told', async ({ actor, body, request }) => {
  const { channel } = await body()
  if (!(await setTroubleChannel(pool(), channel, await now()))) {
    const message = `There is no channel ${channel}.`
    throw new Problem(422, 'Not valid', message, { problems: [{ code: 'unknown channel', path: '/channel', message }] })
  }
  await noteDeed(pool(), { by: actor.by, caller: callerOf(request), what: 'changed the channel that is told what is wrong', subject: channel ?? 'none' })
  return { channel }
})
