import { isAddress } from '@/core/recipients/address'
import type { ThingRenamed } from '@/core/workflow/rename/thing'
import type { Use } from '@/store/design/mentions'
import { renameThing } from '@/store/design/rename-thing'
import { pool } from './environment'
import { inUse } from './in-use'
import { Problem } from './problem'
import { keptName } from './reading'

/** Calls something that workflows name otherwise, and whatever speaks of it with it. @throws Problem 409 with the places, unless `anyway`; 422 where the name cannot be had */
export async function renamed(asked: ThingRenamed, anyway: boolean, by: number | null): Promise<{ readonly name: string; readonly uses: readonly Use[] }> {
  const to = keptName(asked.to)
  if (asked.thing === 'person' && !isAddress(to))
    throw new Problem(422, 'Not valid', 'Nothing was changed.', { problems: [{ code: 'faulty address', path: '/to', message: `${JSON.stringify(to)} is not an e-mail address.` }] })
  const { done, uses } = await renameThing(pool(), { ...asked, to }, anyway, by)
  if (!done) throw inUse(`${asked.from} is named`, 'They go along with `anyway`.', uses)
  return { name: to, uses }
}
