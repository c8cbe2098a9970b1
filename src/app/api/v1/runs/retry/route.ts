import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { runIds } from '@/app/_server/run-ids'
import { retryRuns } from '@/store/run-retry'

/** Has failed runs tried again, with the versions that are live now: those of `ids`, or those that filters of the list let through. */
export const POST = route('POST /api/v1/runs/retry', async ({ body, keeper }) => {
  return { retried: await retryRuns(pool(), { ids: await runIds(keeper, await body(), 'failed'), keeper }) }
})
