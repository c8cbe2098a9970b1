import { pool } from '@/app/_server/environment'
import { wholeNumber } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { keeperFor } from '@/app/_server/workflows'
import { callOffRuns } from '@/store/run-retry'

/** Calls off a run that waits to be tried again; it stays failed. */
export const POST = route('POST /api/v1/runs/[id]/cancel', async ({ actor, params }) => {
  const id = wholeNumber(params.id as string, 'id')
  const called = await callOffRuns(pool(), { ids: [id], keeper: keeperFor(actor) })
  if (called === 0) throw new Problem(409, 'Conflict', `There is no run ${id} that waits.`)
  return { cancelled: called }
})
