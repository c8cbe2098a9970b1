import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { retryMailOf } from '@/store/mail/by-hand'
import { retryNoticesOf } from '@/store/notice-log'
import { retryRuns } from '@/store/run-retry'
import { readRun } from '@/store/runs'

/** Has a failed run tried again, with the version that is live now; with `?alike`, all of its workflow that failed for the same reason. */
export const POST = route('POST /api/v1/runs/[id]/retry', async ({ params, query, keeper }) => {
  const id = wholeNumber(params.id, 'id')
  const run = await readRun(pool(), id, keeper)
  if (!run) throw new Problem(404, 'Not found', `There is no run ${id}.`)
  if (run.state === 'mail failed' || run.state === 'notice failed') {
    const at = await now()
    return { retried: (await retryMailOf(pool(), id, at)) + (await retryNoticesOf(pool(), id, at)) }
  }
  if (run.state !== 'failed') throw new Problem(409, 'Conflict', `Run ${id} is ${run.state}; only a failed one can be tried again.`)
  const retried = await retryRuns(pool(), { ...(query.has('alike') ? { like: id } : { ids: [id] }), keeper })
  if (retried === 0)
    throw new Problem(
      409,
      'Conflict',
      run.trial === null ? `${run.workflow} is not live. Send it live or resume it, then try again.` : 'The run of a trial is not tried again. Arm the trial anew.',
    )
  return { retried }
})
