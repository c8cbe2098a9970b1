import { readHealth, withoutDatabase } from '@/app/_server/health'
import { route } from '@/app/_server/route'
import { within } from '@/app/_server/within'
import { isDatabaseAway } from '@/store/problems'

/** Longest that the database may keep whoever asks waiting. */
const PATIENCE_MS = 5_000

/** How the installation stands: what waits and for how long, and what is wrong, in sentences. 503 while the database is away. */
export const GET = route('GET /api/v1/health', async () => {
  const health = await within(PATIENCE_MS, readHealth()).catch((error: unknown) => {
    if (isDatabaseAway(error)) return null
    throw error
  })
  return Response.json(health ?? withoutDatabase(), { status: health ? 200 : 503, headers: { 'cache-control': 'no-store' } })
})
