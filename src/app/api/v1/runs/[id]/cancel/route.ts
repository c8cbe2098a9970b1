import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { callOffRuns } from '@/store/run-retry'

/** Calls off a run that waits to be tried again; it stays failed. */
export const POST = route('POST /api/v1/runs/[id]/cancel', async ({ params, keeper }) => {
  const id = wholeNumber(params.id, 'id')
  const called = await callOffRuns(pool(), { ids: [id], keeper })
  if (called === 0) throw new Problem(409, 'Conflict', `There is no run ${id} that waits.`)
  return { cancelled: called }
})
