import { pool } from '@/app/_server/environment'
import { pageLimit } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listSuppressions } from '@/store/suppressions'

/** Addresses that bounced for good and are no longer written to, by address. */
export const GET = route('GET /api/v1/suppressions', async ({ query }) => {
  const limit = pageLimit(query)
  const found = await listSuppressions(pool(), limit + 1, query.get('after'))
  const suppressions = found.slice(0, limit)
  return { suppressions, next: found.length > limit ? (suppressions.at(-1)?.address ?? null) : null }
})
