import { pool } from '@/app/_server/environment'
import { pageLimit, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listBulk } from '@/store/bulk/log'

/** Imports, mass edits and mass deletions, the newest first; `after` is the last id seen. */
export const GET = route('GET /api/v1/bulk', async ({ query }) => {
  const limit = pageLimit(query)
  const after = query.get('after')
  const found = await listBulk(pool(), { table: query.get('table') || null, before: after === null ? null : wholeNumber(after, 'after'), limit: limit + 1 })
  const bulk = found.slice(0, limit)
  return { bulk, next: found.length > limit ? (bulk.at(-1)?.id ?? null) : null }
})
