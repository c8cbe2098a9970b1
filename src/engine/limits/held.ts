import { createHash } from 'node:crypto'
import type { Pool } from 'pg'
import { type DigestFor, digestComposer } from '@/core/limits/digest-mail'
import { DIGEST_WORDS, type DigestWords } from '@/core/limits/digest-words'
import type { Engines } from '@/core/message/render'
import { dayOf } from '@/core/values/dates'
import { transaction } from '@/store/database'
import { type GatheredEntry, gatheredFor, type NewDigest, sendAlone, sendDigests, takeDigests } from '@/store/limits/digests'
import { nextHeld, releaseQuiet } from '@/store/limits/held'
import { readSettings } from '@/store/settings'
import type { Clock } from '../clock'
import { newMessageId } from '../delivery/message-id'
import type { Dispatcher } from '../dispatch'
import type { Source } from '../occasions/source'
import type { Tell } from '../tell'

const AT_ONCE = 500

/** Digests that are made in one transaction, and entries of them; an entry past the most of one digest comes in another. */
const DIGESTS_AT_ONCE = 100
const ENTRIES_AT_ONCE = 20_000
const MOST_ENTRIES = 10_000

/** Lets go what was held when its time has come: after quiet hours one by one, gathered ones as digests. */
export class Held implements Source {
  /** Whether more are due than were made at once: then two go on side by side, for one composes while the other waits for the database. */
  private isPressed = false

  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    private readonly clock: Clock,
    private readonly tell: Tell = () => undefined,
  ) {}

  /** When the next is due, or null. */
  next(): Promise<Date | null> {
    return nextHeld(this.pool)
  }

  /** Lets some go that are due; how many. @throws Error where the database is away */
  async handle(): Promise<number> {
    const quiet = await releaseQuiet(this.pool, this.clock(), AT_ONCE)
    const made = await Promise.all(Array.from({ length: this.isPressed ? 2 : 1 }, () => this.digests()))
    this.isPressed = made.some((m) => m.digests === DIGESTS_AT_ONCE)
    return quiet + made.reduce((sum, m) => sum + m.entries, 0)
  }

  /** Sends the digests of some recipients, in one transaction with what they gather; how many, of how many entries. */
  private async digests(): Promise<{ digests: number; entries: number }> {
    return transaction(this.pool, async (db) => {
      const now = this.clock()
      const addresses = await takeDigests(db, now, DIGESTS_AT_ONCE)
      if (addresses.length === 0) return { digests: 0, entries: 0 }
      const gathered = await gatheredFor(db, addresses, now, MOST_ENTRIES, ENTRIES_AT_ONCE)
      const settings = await readSettings(db)
      const { surroundings } = await this.dispatcher.current(db)
      const messageId = () => newMessageId(settings.sender.address)
      const compose = this.composer(settings.digestWords ?? DIGEST_WORDS, surroundings.engines)
      const day = dayOf(now, settings.zone)
      const [alone, together] = [[...gathered.values()].filter((own) => own.length === 1).flat(), [...gathered].filter(([, own]) => own.length > 1)]
      const made = together.map(([address, entries]): NewDigest => {
        const name = entries[0]?.name ?? null
        const composed = compose(entries, { recipient: name ?? address, organisation: settings.name, until: now, baseUrl: surroundings.baseUrl })
        return { ...composed, messageId: messageId(), to: { address, name }, thread: `digest.${day}.${createHash('sha256').update(address).digest('hex').slice(0, 16)}`, entries }
      })
      await sendAlone(db, alone, messageId, now)
      await sendDigests(db, made, settings.sender, now)
      if (gathered.size > 0) await db.query(`select pg_notify('rappel_message', '')`)
      return { digests: addresses.length, entries: [...gathered.values()].flat().length }
    })
  }

  /** Composes digests in the organisation's words; where these do not go, in those that are shipped. */
  private composer(words: DigestWords, engines: Engines) {
    const shipped = digestComposer(DIGEST_WORDS, engines)
    const failed = (error: unknown) => this.tell('the words of digests do not go; those that are shipped were taken', { error: String(error) })
    let own = shipped
    try {
      own = digestComposer(words, engines)
    } catch (error) {
      failed(error)
    }
    return (entries: readonly GatheredEntry[], about: DigestFor) => {
      try {
        return own(entries, about)
      } catch (error) {
        failed(error)
        return shipped(entries, about)
      }
    }
  }
}
