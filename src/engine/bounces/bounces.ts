import type { Pool } from 'pg'
import { signingSecret } from '@/store/access/secrets'
import type { ClaimedMessage } from '@/store/mail/claim'
import type { Clock } from '../clock'
import type { Tell } from '../tell'
import { listenForBounces } from './listener'
import { readMailbox } from './mailbox'
import { returnPath } from './return-path'
import type { BounceSource } from './source'
import type { Take } from './take'

/** Mail that comes back: the return paths that it comes by, and how it is had. */
export class Bounces {
  private secret = ''
  private stopListening: (() => Promise<void>) | null = null

  constructor(
    private readonly pool: Pool,
    private readonly source: BounceSource,
    private readonly clock: Clock,
    private readonly tell: Tell,
  ) {}

  /** Makes ready to give return paths, and to know them again. */
  async prepare(): Promise<void> {
    this.secret = await signingSecret(this.pool, 'why')
  }

  /** The address that reports about a message go to. */
  readonly returnPathOf = (message: Pick<ClaimedMessage, 'id' | 'sender'>): string =>
    this.source.address === null ? message.sender.address : returnPath(this.source.address, message.id, this.secret)

  /** Does what is to be done now and then, one process at a time: begins to listen, or reads the mailbox. @throws Error where the port is another's, or the mailbox is away */
  async look(): Promise<void> {
    await this.prepare()
    const { from } = this.source
    if (from.kind === 'mailbox') await readMailbox(this.take, from.mailbox)
    else this.stopListening ??= await listenForBounces(this.take, from.host, from.port)
  }

  /** Whether only one process is to look at a time. */
  get isShared(): boolean {
    return this.source.from.kind === 'mailbox'
  }

  async stop(): Promise<void> {
    await this.stopListening?.()
    this.stopListening = null
  }

  private get take(): Take {
    return { pool: this.pool, address: this.source.address, secret: () => this.secret, clock: this.clock, tell: this.tell }
  }
}
