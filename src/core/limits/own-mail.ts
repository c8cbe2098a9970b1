import type { Organisation } from '../values/tables'
import { digestMoment } from './digest'
import { ownDigestTimes } from './in-force'

/** What a workflow wrote to somebody of late, and what it would have been as digests. */
export interface OwnMailTold {
  readonly workflow: string
  readonly mails: number
  /** How many digests those mails would have been, by themselves. */
  readonly digests: number
  readonly mayGather: boolean
  readonly gathered: boolean
}

/** How many digests mails of certain moments would have been for somebody who has them gathered. */
export function digestsOf(at: readonly Date[], organisation: Organisation): number {
  const digest = { at: [...ownDigestTimes(organisation)] }
  return new Set(at.map((moment) => digestMoment(digest, moment, organisation.zone)?.getTime())).size
}
