import type { RunsQuery } from '@/store/runs'
import { readSettings } from '@/store/settings'
import { pool } from './environment'
import { askedRecord, dayOf, wholeNumber } from './reading'

/** What a list of runs is filtered by, from an address or a query; who may see what is added by the caller. @throws Problem 422 */
export async function runsAsked(query: URLSearchParams): Promise<Omit<RunsQuery, 'limit' | 'keeper'>> {
  const text = (name: string) => query.get(name) || undefined
  const number = (name: string) => (query.get(name) ? wholeNumber(query.get(name), name) : undefined)
  const { zone } = await readSettings(pool())
  return {
    workflow: text('workflow'),
    table: text('table'),
    state: text('state'),
    record: await askedRecord(query),
    after: number('after'),
    to: text('to'),
    day: dayOf(query, 'day'),
    zone,
  }
}
