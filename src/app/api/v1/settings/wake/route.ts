import { now, pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { wake } from '@/store/place'

/** Lets a restored installation go on. */
export const POST = route('POST /api/v1/settings/wake', async ({ body }) => {
  const { waiting } = await body()
  return { messages: await wake(pool(), waiting, await now()) }
})
