import { pool } from '@/app/_server/environment'
import { pageLimit } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listStops } from '@/store/limits/own-say'

/** Whoever outside said stop, of which workflow and when, by address. */
export const GET = route('GET /api/v1/stops', async ({ query }) => {
  const limit = pageLimit(query)
  const found = await listStops(pool(), limit + 1, query.get('after'))
  const stops = found.slice(0, limit).map(({ workflow, address, at }) => ({ workflow, address, at }))
  return { stops, next: found.length > limit ? (stops.at(-1)?.address ?? null) : null }
})
