import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import { findBounced, keepBounce } from '@/store/bounces'
import { transaction } from '@/store/database'
import { isFaultOfData } from '@/store/problems'
import { suppressAddresses } from '@/store/suppressions'
import type { Clock } from '../clock'
import { isBadForGood } from '../delivery/policy'
import type { Tell } from '../tell'
import { readReport } from './report'
import { messageOf } from './return-path'

/** Takes mail that came back. */
export interface Take {
  readonly pool: Pool
  /** The address that return paths are made of; null where mail goes out with its sender's. */
  readonly address: string | null
  /** What return paths are signed with. */
  readonly secret: () => string
  readonly clock: Clock
  readonly tell: Tell
}

/** Takes one mail that came back, as `takeReport` does; one that cannot be taken, whatever is wrong with it, keeps no other waiting. @throws Error where the database is away, or busy */
export async function takeMail(take: Take, source: Buffer, deliveredTo: readonly string[] = []): Promise<number> {
  try {
    return await takeReport(take, source, deliveredTo)
  } catch (error) {
    if (!isFaultOfData(error)) throw error
    take.tell('a mail that came back could not be taken', { error: faultOf(error) })
    return 0
  }
}

/**
 * Takes one mail that came back, for the addresses that it was delivered to: a report is kept with its message and recipient, an address that is bad for good is suppressed, everything
 * else is passed over. How many recipients it told of something new.
 */
async function takeReport({ pool, address, secret, clock, tell }: Take, source: Buffer, deliveredTo: readonly string[]): Promise<number> {
  const report = await readReport(source)
  if (report.kind !== 'report') {
    tell('mail to the address for bounces is no report', { kind: report.kind })
    return 0
  }
  const ids = address === null ? [] : [...deliveredTo, ...report.to].flatMap((path) => messageOf(path, address, secret()) ?? [])
  const [id] = ids
  const found = (id === undefined ? null : await findBounced(pool, { id })) ?? (report.messageId ? await findBounced(pool, { messageId: report.messageId }) : null)
  if (!found) {
    tell('a report is about no message of ours', {})
    return 0
  }
  let news = 0
  for (const bounce of report.bounces) {
    const own = found.addresses.find((a) => a.toLowerCase() === bounce.address.toLowerCase()) ?? (found.addresses.length === 1 ? found.addresses[0] : undefined)
    if (own === undefined) continue // a report about somebody whom the message did not go to
    await transaction(pool, async (db) => {
      if (!(await keepBounce(db, found.id, { ...bounce, address: own }, clock()))) return
      news++
      if (bounce.action === 'failed' && isBadForGood(bounce.status)) await suppressAddresses(db, [{ address: own, reason: `${bounce.status} ${bounce.diagnostic}`.trim() }])
    })
  }
  return news
}
