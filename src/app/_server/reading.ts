import type { Condition } from '@/core/document/condition'
import { readCondition } from '@/core/document/schema'
import { isDay, isInstant } from '@/core/values/dates'
import { KEY_WORDS, readId } from '@/core/values/parse'
import type { RecordId, TableDef } from '@/core/values/tables'
import { peopleByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { pool } from './environment'
import { Problem } from './problem'

/** A whole number from a query or path. @throws Problem when it is not one */
export function wholeNumber(text: string | null, name: string, fallback?: number): number {
  if (text === null && fallback !== undefined) return fallback
  const value = Number(text)
  if (!Number.isSafeInteger(value) || value < 0) throw new Problem(422, 'Not valid', `${name} must be a whole number, not ${JSON.stringify(text)}.`)
  return value
}

/** The id of a record from a path or query, by its table's key. @throws Problem when it is none */
export function recordId(table: Pick<TableDef, 'key'>, text: string | null, name = 'id'): RecordId {
  const id = readId(table, text)
  if (id === null) throw new Problem(422, 'Not valid', `${name} must be ${KEY_WORDS[table.key ?? 'number']}, not ${JSON.stringify(text)}.`)
  return id
}

/** The id of a record that a query asks about, of the table that it names; without one, a number where it is written as one. */
export async function askedRecord(query: URLSearchParams): Promise<RecordId | undefined> {
  const text = query.get('record') || null
  if (text === null) return undefined
  const table = (await readSchema(pool())).get(query.get('table') ?? '')
  return recordId(table ?? (/^\d+$/.test(text) ? {} : { key: 'text' }), text, 'record')
}

/** A day of a query, as `YYYY-MM-DD`; undefined where it is not asked for. @throws Problem 422 when it is none */
export function dayOf(query: URLSearchParams, name: string): string | undefined {
  const text = query.get(name) || undefined
  if (text && !(/^\d{4}-\d\d-\d\d$/.test(text) && !Number.isNaN(Date.parse(text))))
    throw new Problem(422, 'Not valid', `${name} is a date as ISO 8601 writes it, such as 2026-11-25, not ${JSON.stringify(text)}.`)
  return text
}

/** A span of a query, `from` and `to` as ISO 8601 date-times; without them, the last 30 days. @throws Problem 422 */
export function spanOf(query: URLSearchParams, days = 30): { from: Date; to: Date } {
  const read = (name: string, otherwise: Date) => {
    const text = query.get(name)
    if (text === null) return otherwise
    if (!isInstant(text) && !isDay(text)) throw new Problem(422, 'Not valid', `${name} is a date or a date-time with its offset (ISO 8601), not ${JSON.stringify(text)}.`)
    return new Date(text)
  }
  const to = read('to', new Date())
  const from = read('from', new Date(to.getTime() - days * 86_400_000))
  if (from >= to) throw new Problem(422, 'Not valid', 'from comes before to.')
  return { from, to }
}

/** How many to list: at most 1000, 100 unless asked. */
export function pageLimit(query: URLSearchParams): number {
  return Math.min(1_000, Math.max(1, wholeNumber(query.get('limit'), 'limit', 100)))
}

/** The table of a path, with what conditions on it are compiled with. @throws Problem 404 */
export async function tableOf(name: string) {
  const schema = await readSchema(pool())
  const table = name === 'person' ? undefined : schema.get(name)
  if (!table)
    throw new Problem(404, 'Not found', `There is no table ${JSON.stringify(name)}. There are ${[...schema.keys()].filter((n) => n !== 'person').join(', ') || 'none yet'}.`)
  return { table, schema }
}

/** What conditions are compiled and filtered with. */
export async function settingOf(schema: ReadonlyMap<string, TableDef>) {
  return { schema, organisation: await readSettings(pool()), people: (await peopleByEmail(pool())).ids }
}

/** A condition from a query's JSON. @throws Problem when it is not one */
export function conditionOf(text: string | null): Condition | undefined {
  if (text === null || text === '') return undefined
  const problem = (detail: string) => new Problem(422, 'Not valid', detail, { problems: [{ code: 'not a condition', path: '/where', message: detail }] })
  let parsed: unknown
  try {
    parsed = JSON.parse(text)
  } catch {
    throw problem('where is not JSON.')
  }
  const read = readCondition(parsed)
  if ('problems' in read) throw problem(read.problems[0]?.message ?? 'where is not a condition.')
  return read.condition
}

/** An object from a body. @throws Problem when it is not one */
export function objectOf(value: unknown): Record<string, unknown> {
  if (typeof value === 'object' && value !== null && !Array.isArray(value)) return { ...value }
  throw new Problem(422, 'Not valid', 'The body must be a JSON object.')
}

const LONGEST_NAME = 200

/** The name that something is to be kept under, as its address gives it, without white space around it. @throws Problem where nothing is left of it, or it is longer than names may be */
export function keptName(given: string): string {
  const name = given.trim()
  if (name === '' || name.length > LONGEST_NAME)
    throw new Problem(422, 'Not valid', name === '' ? 'It needs a name.' : `The name has ${name.length} characters; at most ${LONGEST_NAME} are kept.`)
  return name
}
