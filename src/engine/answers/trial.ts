import type { Json } from '@/core/json'
import type { Queryable } from '@/store/database'
import { listRuns } from '@/store/runs'
import type { Trial } from '@/store/trials'

const MOST_RUNS = 100

/** A trial as the API tells it, with the runs that came of it, the newest first. */
export async function trialAnswer(db: Queryable, { id, record, address, from_at, until_at, armed }: Trial) {
  const runs = await listRuns(db, { trial: id, limit: MOST_RUNS })
  return { id, record, to: address, from: from_at, until: until_at, armed, runs }
}
export type TrialAnswer = Json<Awaited<ReturnType<typeof trialAnswer>>>
