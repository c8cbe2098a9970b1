import type { Change } from '../changes/change'
import type { Lookups } from '../paths/lookups'

/** A recorded change, with the records that it links to as they stood. */
export interface Observation {
  readonly change: Change
  readonly lookups: Lookups
}
