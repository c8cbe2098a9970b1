import type { Logger } from 'pino'
import type { BounceSource } from '../bounces/source'
import type { Clock } from '../clock'
import type { HeadersFor } from '../delivery/notices'

/** `changes`: deciding what comes of changes, with the house kept; `mail`: delivering mail and notices. */
export type WorkerPart = 'changes' | 'mail'

export const EVERYTHING: readonly WorkerPart[] = ['changes', 'mail']

export interface WorkerOptions {
  readonly databaseUrl: string
  /** The mail server that is used where none is set in Settings. */
  readonly smtpUrl: string
  /** Whether `smtpUrl` is used whatever is set. */
  readonly isSmtpFixed?: boolean
  readonly baseUrl: string
  readonly log: Logger
  readonly clock?: Clock
  /** What this process does; all of it unless said otherwise. Two processes, one for each part, use two cores. */
  readonly parts?: readonly WorkerPart[]
  /** Memory in MB of the processes in which what takes long, or kills, is worked out. */
  readonly apartMemory?: number
  /** The home of the installation, whose `inbox` is looked into; none where files are laid in nowhere. */
  readonly home?: string
  /** Called where the worker must not go on, for the database is not as it was: whoever started it ends it, and starts another. */
  readonly onHalt?: () => void
  /** Milliseconds of which what was committed may be lost when another server takes over; a minute unless said otherwise. */
  readonly mostLost?: number
  /** Milliseconds that something has to be wrong before it is told by mail; a minute unless said otherwise. */
  readonly gatherTroubleMs?: number
  /** What is sent along to channels' addresses. */
  readonly headersFor?: HeadersFor
  /** Where mail that comes back is had from; nowhere where it is absent. */
  readonly bounces?: BounceSource
}
