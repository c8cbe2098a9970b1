import { replica } from '@/app/_server/environment'
import { pageLimit } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { runsAsked } from '@/app/_server/runs'
import { listRuns } from '@/store/runs'

/** Lists runs, newest first; members see those of their own workflows. */
export const GET = route('GET /api/v1/runs', async ({ query, keeper }) => {
  const limit = pageLimit(query)
  const asked = await runsAsked(query)
  const runs = await replica().readNow((db) => listRuns(db, { ...asked, keeper, limit }))
  return { runs, next: runs.length < limit ? null : String(runs[runs.length - 1]?.id) }
})
