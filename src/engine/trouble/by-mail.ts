import type { Pool } from 'pg'
import { troubleMail } from '@/core/message/trouble'
import { transaction } from '@/store/database'
import { queueOwn } from '@/store/mail/own'
import { readSettings } from '@/store/settings'
import { dropTrouble, holdLastTold, listTold, noteTold, oldestTrouble, takeTrouble } from '@/store/trouble'
import type { Clock } from '../clock'
import { newMessageId } from '../delivery/message-id'
import type { Tell } from '../tell'
import { Lasting, newsOf, standingWrong } from './standing'

/** How long something has to be wrong before it is told, so that what comes together is told together, and what passes is not. */
export const GATHER_MS = 60_000

/**
 * Tells those who asked for it, by mail, that something is wrong: runs, messages and notices that failed, live workflows that cannot do what they say, files that were refused, tables whose changes are
 * not recorded, channels and programs that take nothing. What is new, at most once an hour; what failed is taken off what is to be told in the transaction that queues the mail.
 */
export class Troubles {
  private readonly lasting: Lasting

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
    private readonly tell: Tell,
    private readonly gatherMs = GATHER_MS,
  ) {
    this.lasting = new Lasting(gatherMs)
  }

  /** Tells what there is to tell; how many mails were queued. @throws Error where the database is away */
  async look(): Promise<number> {
    const people = await listTold(this.pool)
    if (people.length === 0) {
      await dropTrouble(this.pool)
      return 0
    }
    const lasting = this.lasting.of(await standingWrong(this.pool, this.clock))
    return transaction(this.pool, async (db) => {
      const last = await holdLastTold(db)
      if (!last) return 0
      const now = this.clock()
      const { sums, known, news, isFree } = newsOf(lasting, last, now)
      const oldest = await oldestTrouble(db)
      if (!isFree || (news.length === 0 && (oldest === null || oldest * 1_000 < this.gatherMs))) {
        if (known.length < last.standing.length) await noteTold(db, null, known)
        return 0
      }
      const settings = await readSettings(db)
      const mail = troubleMail(await takeTrouble(db), news, { organisation: settings.name, baseUrl: this.baseUrl })
      if (!mail) return 0
      const mails = people.map((to) => ({ ...mail, messageId: newMessageId(settings.sender.address), to, thread: null }))
      await queueOwn(db, 'trouble', mails, settings.sender, now)
      await noteTold(db, now, sums)
      await db.query(`select pg_notify('rappel_message', '')`)
      this.tell('what is wrong was told by mail', { people: people.length, standing: news.length })
      return mails.length
    })
  }
}
