import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readNotices } from '@/store/notice-log'

/** Most notices that are read in one call by their ids. */
const MOST = 1_000

/** Notes that whoever calls has read notices that are for them: those of `ids`, or all. */
export const POST = route('POST /api/v1/notices/read', async ({ actor, request, json }) => {
  if (actor.person === null) throw new Problem(422, 'Not valid', 'People read notices; a token that acts as nobody is none.')
  const { ids } = request.headers.get('content-type')?.includes('json') ? objectOf(await json()) : {}
  if (ids !== undefined && !(Array.isArray(ids) && ids.length <= MOST && ids.every((id) => Number.isSafeInteger(id))))
    throw new Problem(422, 'Not valid', `Give ids: a list of at most ${MOST.toLocaleString('en-GB')} notices’ ids, or none for all that are for you.`)
  return { read: await readNotices(pool(), actor.person, ids ?? null, await now()) }
})
