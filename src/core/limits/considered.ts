import type { Workflow } from '../document/document'
import type { Organisation } from '../values/tables'
import { activeActions } from '../workflow/active'
import { deliveryOf } from '../workflow/delivery'

/** What a workflow's limits give reason to ask about before it goes live. */
export function considerLimits({ limits, actions }: Workflow, organisation: Organisation | undefined, warn: (code: string, path: string, message: string) => void): void {
  if (!limits) return
  const { quietHours, digest, mayStop } = limits
  if (quietHours === 'organisation' && !organisation?.quietHours)
    warn('no quiet hours', '/limits/quietHours', 'The organisation has no quiet hours now, so nothing is held. They are set in Settings, or give this workflow its own.')
  if (digest && 'at' in digest && digest.at === 'organisation' && !organisation?.digestAt?.length)
    warn('no digest times', '/limits/digest', 'The organisation has no digest times now, so nothing is gathered. They are set in Settings, or give this workflow its own.')
  if (!mayStop) return
  for (const { action, path } of activeActions(actions)) {
    if (action.do !== 'email' || deliveryOf(action) === 'each') continue
    const named = [...action.to, ...(action.cc ?? []), ...(action.bcc ?? [])]
    if (named.length > 1 || named.some((r) => 'list' in r || 'group' in r || 'team' in r))
      warn('stop for one', `${path}/to`, 'Recipients outside may say stop, but only a mail to one of them can offer it: this one may go to several together. Send one each.')
  }
}
