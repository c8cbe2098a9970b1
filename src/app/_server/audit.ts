import type { AuditQuery } from '@/store/access/audit'
import { readSettings } from '@/store/settings'
import { pool } from './environment'
import { dayOf, wholeNumber } from './reading'

/** What the audit log is searched by, from an address or a query. @throws Problem 422 */
export async function auditAsked(query: URLSearchParams): Promise<Omit<AuditQuery, 'limit'>> {
  const text = (name: string) => query.get(name)?.slice(0, 200) || undefined
  const { zone } = await readSettings(pool())
  return {
    text: text('text'),
    what: text('what'),
    from: dayOf(query, 'from'),
    to: dayOf(query, 'to'),
    zone,
    after: query.get('after') ? wholeNumber(query.get('after'), 'after') : undefined,
  }
}
