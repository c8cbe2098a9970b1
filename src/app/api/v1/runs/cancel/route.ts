import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { runIds } from '@/app/_server/run-ids'
import { callOffRuns } from '@/store/run-retry'

/** Calls off runs that wait to be tried again: those of `ids`, or those that filters of the list let through. They stay failed. */
export const POST = route('POST /api/v1/runs/cancel', async ({ body, keeper }) => {
  return { cancelled: await callOffRuns(pool(), { ids: await runIds(keeper, await body(), 'waiting'), keeper }) }
})
