import type { Transporter } from 'nodemailer'
import { faultOf } from '@/core/must'
import { MOST_RECIPIENTS } from './send'

/** Messages in a row that did not reach the server from which on it is left alone and asked now and then. */
const SHUT_AFTER = 10

/** How long a server that was found away is left alone at first, and at most. */
const FIRST_REST_MS = 1_000
const LONGEST_REST_MS = 5_000

/** What a server takes: recipients of one transaction, and messages a minute (null: any number). */
export interface WayLimits {
  readonly mostRecipients: number
  readonly perMinute: number | null
}

/**
 * A mail server as mail is handed to it. States: open; shut, after messages in a row did not reach it, until it answers again. Whoever delivers gives nothing to one that is
 * shut, so that what waits is not tried in vain by the thousand.
 */
export class Way {
  private lost = 0
  private rest = FIRST_REST_MS
  private shutUntil: number | null = null
  private asking: Promise<void> | null = null

  constructor(
    readonly name: string,
    readonly transport: Transporter,
    readonly limits: WayLimits = { mostRecipients: MOST_RECIPIENTS, perMinute: null },
    private readonly now: () => number = Date.now,
  ) {}

  isOpen(): boolean {
    return this.shutUntil === null
  }

  /** Notes whether a message reached the server. */
  note(reached: boolean): void {
    if (reached) {
      this.lost = 0
      this.rest = FIRST_REST_MS
      this.shutUntil = null
    } else if (++this.lost >= SHUT_AFTER && this.shutUntil === null) this.shut()
  }

  /** Why the server takes no connection; null where it does. */
  verify(): Promise<string | null> {
    return this.transport.verify().then(
      () => null,
      (error: unknown) => faultOf(error),
    )
  }

  /** Asks a server that is shut whether it is back, when its rest is over; whether it is open now. */
  async look(): Promise<boolean> {
    if (this.shutUntil !== null && this.now() >= this.shutUntil)
      this.asking ??= this.ask().finally(() => {
        this.asking = null
      })
    await this.asking
    return this.isOpen()
  }

  private async ask(): Promise<void> {
    if ((await this.verify()) !== null) return this.shut()
    this.shutUntil = null
    this.lost = 0
  }

  private shut(): void {
    this.shutUntil = this.now() + this.rest
    this.rest = Math.min(this.rest * 2, LONGEST_REST_MS)
  }
}

/** The servers that mail can be handed to, the one to go by first. */
export interface Ways {
  all(): readonly Way[]
}

/** One server, whose connection is there already. */
export function oneWay(transport: Transporter, now?: () => number): Ways {
  const way = new Way('the server', transport, undefined, now)
  return { all: () => [way] }
}
