import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { recordPath } from '@/core/values/tables'
import { transaction } from '@/store/database'
import { claimHook, type DueHook, nextForHook, noteNotTold, noteTold } from '@/store/hooks'
import { readSchema } from '@/store/tables'
import type { Clock } from '../clock'
import { postSigned } from './notices'
import { retryDelay } from './policy'

/** Most rows of the log that are told at once. */
const AT_ONCE = 200

/** A change as an event (CloudEvents 1.0); its id is that of the change, the same however often it is told. */
export function changeEvent(change: Change, baseUrl: string): Record<string, unknown> {
  const { id, table, record, kind, before, after, changed, at, by, run } = change
  return {
    specversion: '1.0',
    id: String(id),
    source: baseUrl,
    type: `rappel.record.${kind}`,
    subject: recordPath(table, record).slice(1),
    time: at.toISOString(),
    datacontenttype: 'application/json',
    data: { id, table, record, kind, before, after, changed, at: at.toISOString(), by, run },
  }
}

/**
 * Tells one program that is due of the next changes, as a batch of events (CloudEvents JSON format, section 4), at least once and those of one record in order;
 * whether there was one. What it does not take is told again, later and later, for as long as it takes.
 */
export async function tellHook(pool: Pool, baseUrl: string, clock: Clock): Promise<boolean> {
  return transaction(pool, async (db) => {
    const now = clock()
    const hook = await claimHook(db, now)
    if (!hook) return false
    const { changes, last } = await nextForHook(db, hook, await readSchema(db), AT_ONCE)
    const refusal = changes.length === 0 ? null : await tell(hook, changes, baseUrl)
    if (refusal === null) await noteTold(db, hook.name, last, now, hook.after === 0)
    else await noteNotTold(db, hook.name, refusal, new Date(now.getTime() + retryDelay(hook.attempt + 1, Math.random())))
    return true
  })
}

/** Why a program did not take changes; null where it did. */
async function tell(hook: DueHook, changes: readonly Change[], baseUrl: string): Promise<string | null> {
  if (hook.secret === null) return 'Its secret cannot be opened with the key of this machine. Give the secret again in Settings.'
  const body = JSON.stringify(changes.map((change) => changeEvent(change, baseUrl)))
  const { status, reply } = await postSigned(hook.url, body, 'application/cloudevents-batch+json; charset=utf-8', hook.secret)
  if (status === 0) return `The address cannot be reached: ${reply}.`
  return status >= 200 && status < 300 ? null : reply
}
