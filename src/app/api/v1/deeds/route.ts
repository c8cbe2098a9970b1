import { deedsFor } from '@/app/_server/by-hand'
import { route } from '@/app/_server/route'

/** What whoever asks may do by hand, for records of a table where one is named. */
export const GET = route('GET /api/v1/deeds', async ({ actor, query }) => ({ deeds: await deedsFor(actor, query.get('table')) }))
