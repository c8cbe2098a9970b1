import type { Pool } from 'pg'
import type { Clock } from '../clock'
import type { Meter } from '../meter'
import type { Tell } from '../tell'
import type { Listening } from './listening'
import type { Loops } from './loops'
import type { WorkerOptions, WorkerPart } from './options'

/** What the parts of a worker work with. */
export interface Workplace {
  readonly options: WorkerOptions
  readonly pool: Pool
  readonly clock: Clock
  readonly loops: Loops
  readonly listening: Listening
  readonly meter: Meter
  readonly tell: Tell
  /** Notes now and then that a part goes round. */
  readonly sign: (part: WorkerPart) => Promise<void>
}

/** The longest that a loop sleeps where nothing rings. */
export const SLOW_POLL_MS = 1_000
