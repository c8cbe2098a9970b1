import { createHash, randomUUID } from 'node:crypto'
import type { Pool } from 'pg'
import { composeDigest, type DigestFor } from '@/core/limits/digest-mail'
import { DIGEST_WORDS, type DigestWords } from '@/core/limits/digest-words'
import type { Engines } from '@/core/message/render'
import { dayOf } from '@/core/values/dates'
import { transaction } from '@/store/database'
import { type GatheredEntry, gatheredFor, nextHeld, releaseQuiet, sendAlone, sendDigest, takeDigest } from '@/store/limits/held'
import { readSettings } from '@/store/settings'
import type { Clock } from '../clock'
import type { Dispatcher } from '../dispatch'
import type { Source } from '../occasions/source'
import type { Tell } from '../tell'

const AT_ONCE = 500

/** Entries of one digest; what is more comes in another. */
const MOST_ENTRIES = 10_000

/** Lets go what was held when its time has come: after quiet hours one by one, gathered ones as digests. */
export class Held implements Source {
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
    return (await releaseQuiet(this.pool, this.clock(), AT_ONCE)) + (await this.digest())
  }

  /** Sends the digest of one recipient, in one transaction with what it gathers. */
  private async digest(): Promise<number> {
    return transaction(this.pool, async (db) => {
      const now = this.clock()
      const address = await takeDigest(db, now)
      if (address === null) return 0
      const entries = await gatheredFor(db, address, now, MOST_ENTRIES)
      const [only] = entries
      if (!only) return 0
      const settings = await readSettings(db)
      const { surroundings } = await this.dispatcher.current(db)
      const domain = settings.sender.address.slice(settings.sender.address.lastIndexOf('@') + 1)
      const messageId = `<${randomUUID()}@${domain}>`
      if (entries.length === 1) await sendAlone(db, only, messageId, now)
      else {
        const about: DigestFor = { recipient: only.name ?? address, organisation: settings.name, until: now, baseUrl: surroundings.baseUrl }
        const composed = this.compose(entries, about, settings.digestWords ?? DIGEST_WORDS, surroundings.engines)
        const thread = `digest.${dayOf(now, settings.zone)}.${createHash('sha256').update(address).digest('hex').slice(0, 16)}`
        await sendDigest(db, { ...composed, messageId, sender: settings.sender, to: { address, name: only.name }, thread }, entries, now)
      }
      return entries.length
    })
  }

  /** A digest in the organisation's words; where these do not go, in those that are shipped. */
  private compose(entries: readonly GatheredEntry[], about: DigestFor, words: DigestWords, engines: Engines) {
    try {
      return composeDigest(entries, about, words, engines)
    } catch (error) {
      this.tell('the words of digests do not go; those that are shipped were taken', { error: String(error) })
      return composeDigest(entries, about, DIGEST_WORDS, engines)
    }
  }
}
