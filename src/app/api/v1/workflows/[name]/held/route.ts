import { now, pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { endCap } from '@/store/limits/held'

/** Sends or drops the mail of a workflow that is held because the most of a day was reached. */
export const POST = route('POST /api/v1/workflows/[name]/held', async ({ actor, params, body }) => {
  const { deed } = await body()
  const { name } = await rowOf(actor, params.name)
  return { count: await endCap(pool(), name, deed === 'send' ? 'send' : 'drop', await now()) }
})
