import { listRuns } from '@/store/runs'
import { pool } from './environment'
import { Problem } from './problem'
import { objectOf } from './reading'
import { runsAsked } from './runs'

const MOST = 10_000

/** Ids of the runs that a body means: `{ ids }`, or the filters of a list (`{ workflow, table, record, day, to }`), of those in a state. @throws Problem 422 */
export async function runIds(keeper: number | null, body: unknown, state: 'failed' | 'waiting'): Promise<number[]> {
  const { ids, ...filters } = objectOf(body)
  if (ids !== undefined) {
    if (!Array.isArray(ids) || !ids.every((id) => Number.isSafeInteger(id))) throw new Problem(422, 'Not valid', 'ids is a list of whole numbers.')
    return ids
  }
  const query = new URLSearchParams(Object.entries(filters).flatMap(([name, value]) => (value === undefined || value === null || value === '' ? [] : [[name, String(value)]])))
  query.delete('after')
  const runs = await listRuns(pool(), { ...(await runsAsked(query)), state, keeper, limit: MOST })
  return runs.map((r) => r.id)
}
