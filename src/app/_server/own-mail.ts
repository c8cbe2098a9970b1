import { ownDigestTimes } from '@/core/limits/in-force'
import { digestsOf, type OwnMailTold } from '@/core/limits/own-mail'
import { listOwnMail } from '@/store/limits/own-say'
import { readSettings } from '@/store/settings'
import { pool } from './environment'

/** Days that somebody's mail is looked back over. */
const OWN_DAYS = 30

/** What came to an address of each workflow, with what gathering it would make of it; and the times at which digests come. */
export async function ownMail(address: string): Promise<{ days: number; times: readonly string[]; workflows: OwnMailTold[] }> {
  const settings = await readSettings(pool())
  const rows = await listOwnMail(pool(), address, new Date(Date.now() - OWN_DAYS * 86_400_000))
  return {
    days: OWN_DAYS,
    times: ownDigestTimes(settings),
    workflows: rows.map(({ name, mails, at, mayGather, say }) => ({ workflow: name, mails, digests: digestsOf(at, settings), mayGather, gathered: say === 'digest' })),
  }
}
