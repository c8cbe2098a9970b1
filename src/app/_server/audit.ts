import { must } from '@/core/must'
import type { AuditQuery } from '@/store/access/audit'
import { readSettings } from '@/store/settings'
import { pool } from './environment'
import { Problem } from './problem'
import { wholeNumber } from './reading'

/** What the audit log is searched by, from an address or a query. @throws Problem 422 */
export async function auditAsked(query: URLSearchParams): Promise<Omit<AuditQuery, 'limit'>> {
  const text = (name: string) => query.get(name)?.slice(0, 200) || undefined
  for (const name of ['from', 'to'])
    if (text(name) && !(/^\d{4}-\d\d-\d\d$/.test(must(text(name))) && !Number.isNaN(Date.parse(must(text(name))))))
      throw new Problem(422, 'Not valid', `${name} is a date as ISO 8601 writes it, such as 2026-11-25, not ${JSON.stringify(text(name))}.`)
  const { zone } = await readSettings(pool())
  return { text: text('text'), what: text('what'), from: text('from'), to: text('to'), zone, after: query.get('after') ? wholeNumber(query.get('after'), 'after') : undefined }
}
