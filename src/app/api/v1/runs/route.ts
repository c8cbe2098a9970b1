import { pool } from '@/app/_server/environment'
import { pageLimit, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { keeperFor } from '@/app/_server/workflows'
import { listRuns } from '@/store/runs'

export const GET = route('GET /api/v1/runs', async ({ actor, query }) => {
  const limit = pageLimit(query)
  const text = (name: string) => query.get(name) ?? undefined
  const number = (name: string) => (query.has(name) ? wholeNumber(query.get(name), name) : undefined)
  const runs = await listRuns(pool(), {
    workflow: text('workflow'),
    table: text('table'),
    state: text('state'),
    record: number('record'),
    after: number('after'),
    keeper: keeperFor(actor),
    limit,
  })
  return { runs, next: runs.length < limit ? null : String(runs[runs.length - 1]?.id) }
})
