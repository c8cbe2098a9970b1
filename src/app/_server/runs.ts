import type { RunsQuery } from '@/store/runs'
import { readSettings } from '@/store/settings'
import { pool } from './environment'
import { Problem } from './problem'
import { wholeNumber } from './reading'

/** What a list of runs is filtered by, from an address or a query; who may see what is added by the caller. @throws Problem 422 */
export async function runsAsked(query: URLSearchParams): Promise<Omit<RunsQuery, 'limit' | 'keeper'>> {
  const text = (name: string) => query.get(name) || undefined
  const number = (name: string) => (query.get(name) ? wholeNumber(query.get(name), name) : undefined)
  const day = text('day')
  if (day && !(/^\d{4}-\d\d-\d\d$/.test(day) && !Number.isNaN(Date.parse(day))))
    throw new Problem(422, 'Not valid', `day is a date as ISO 8601 writes it, such as 2026-11-25, not ${JSON.stringify(day)}.`)
  const { zone } = await readSettings(pool())
  return { workflow: text('workflow'), table: text('table'), state: text('state'), record: number('record'), after: number('after'), to: text('to'), day, zone }
}
