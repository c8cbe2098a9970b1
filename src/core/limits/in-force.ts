import type { Limits } from '../document/document'
import type { Organisation } from '../values/tables'
import type { Digest } from './digest'
import type { QuietHours } from './quiet'

/** Limits with what they take over from the organisation in its place. */
export interface LimitsInForce extends Omit<Limits, 'quietHours' | 'digest'> {
  readonly quietHours?: QuietHours
  readonly digest?: Digest
}

/** A workflow's limits as they are in force: where one goes by the organisation's quiet hours or digest times, those; nothing where the organisation has none. */
export function inForce({ quietHours: quiet, digest, ...rest }: Limits, { quietHours, digestAt }: Pick<Organisation, 'quietHours' | 'digestAt'>): LimitsInForce {
  const hours = quiet === 'organisation' ? quietHours : quiet
  return { ...rest, ...(hours ? { quietHours: hours } : {}), ...gathering(digest, digestAt) }
}

function gathering(digest: Limits['digest'], times: readonly string[] | null | undefined): { digest?: Digest } {
  if (!digest) return {}
  if ('every' in digest) return { digest }
  const { at, ...rest } = digest
  if (at !== 'organisation') return { digest: { at, ...rest } }
  return times?.length ? { digest: { at: [...times], ...rest } } : {}
}

/** When what somebody wants gathered comes, where the organisation has no times of its own. */
const OWN_DIGEST = ['08:00']

/** The times of the day at which mail comes to those who asked for a digest themselves. */
export const ownDigestTimes = ({ digestAt }: Pick<Organisation, 'digestAt'>): readonly string[] => (digestAt?.length ? digestAt : OWN_DIGEST)
