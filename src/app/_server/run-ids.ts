import { listRuns } from '@/store/runs'
import type { Actor } from './actor'
import { pool } from './environment'
import { objectOf } from './reading'
import { Problem } from './route'
import { runsAsked } from './runs'
import { keeperFor } from './workflows'

const MOST = 10_000

/** Ids of the runs that a body means: `{ ids }`, or the filters of a list (`{ workflow, table, record, day, to }`), of those in a state. @throws Problem 422 */
export async function runIds(actor: Actor, body: unknown, state: 'failed' | 'waiting'): Promise<number[]> {
  const { ids, ...filters } = objectOf(body)
  if (ids !== undefined) {
    if (!Array.isArray(ids) || !ids.every((id) => Number.isSafeInteger(id))) throw new Problem(422, 'Not valid', 'ids is a list of whole numbers.')
    return ids as number[]
  }
  const query = new URLSearchParams(Object.entries(filters).flatMap(([name, value]) => (value === undefined || value === null || value === '' ? [] : [[name, String(value)]])))
  query.delete('after')
  const runs = await listRuns(pool(), { ...(await runsAsked(query)), state, keeper: keeperFor(actor), limit: MOST })
  return runs.map((r) => r.id)
}
