import { createHash } from 'node:crypto'
import type { Pool } from 'pg'
import { type Standing, troubleMail } from '@/core/message/trouble'
import { listBroken } from '@/store/broken'
import { listRefusedFiles } from '@/store/bulk/imports'
import { transaction } from '@/store/database'
import { readUpkeep } from '@/store/health'
import { queueOwn } from '@/store/mail/own'
import { listDeafChannels, listDeafHooks } from '@/store/notice-log'
import { readSettings } from '@/store/settings'
import { dropTrouble, holdLastTold, listTold, noteTold, oldestTrouble, takeTrouble } from '@/store/trouble'
import { captureProblems } from './capture-problems'
import type { Clock } from './clock'
import { newMessageId } from './delivery/message-id'
import type { Tell } from './tell'

/** People are told at most once in an hour, as the mail says. */
const HOUR_MS = 3_600_000
/** How long something has to be wrong before it is told, so that what comes together is told together, and what passes is not. */
const GATHER_MS = 60_000
/** From so many tries on, after some minutes, a channel or a program that does not take what it is given is told of. */
const DEAF_FROM = 4
const MOST_CHANNELS = 20
/** Files that were refused longer ago are nobody's news. */
const NEWS_MS = 3 * 24 * HOUR_MS

const sumOf = ({ key }: Standing) => createHash('sha256').update(key).digest('base64url').slice(0, 22)

/**
 * Tells those who asked for it, by mail, that something is wrong: runs, messages and notices that failed, live workflows that cannot do what they say, files that were refused, tables whose changes are
 * not recorded, channels and programs that take nothing. What is new, at most once an hour; what failed is taken off what is to be told in the transaction that queues the mail.
 */
export class Troubles {
  /** Since when what is wrong was seen to be, on this process's monotonic clock. */
  private since = new Map<string, number>()

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
    private readonly tell: Tell,
    private readonly gatherMs = GATHER_MS,
  ) {}

  /** Tells what there is to tell; how many mails were queued. @throws Error where the database is away */
  async look(): Promise<number> {
    const people = await listTold(this.pool)
    if (people.length === 0) {
      await dropTrouble(this.pool)
      return 0
    }
    const lasting = this.lasting(await this.standing())
    return transaction(this.pool, async (db) => {
      const last = await holdLastTold(db)
      if (!last) return 0
      const now = this.clock()
      const sums = new Map(lasting.map((one) => [sumOf(one), one]))
      const known = last.standing.filter((sum) => sums.has(sum))
      const news = [...sums].filter(([sum]) => !last.standing.includes(sum)).map(([, one]) => one)
      const isFree = last.at === null || now.getTime() - last.at.getTime() >= HOUR_MS
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
      await noteTold(db, now, [...sums.keys()])
      await db.query(`select pg_notify('rappel_message', '')`)
      this.tell('what is wrong was told by mail', { people: people.length, standing: news.length })
      return mails.length
    })
  }

  /** What is wrong until somebody mends it. */
  private async standing(): Promise<Standing[]> {
    const since = new Date(this.clock().getTime() - NEWS_MS)
    const [broken, refused, upkeep, channels, hooks] = await Promise.all([
      listBroken(this.pool),
      listRefusedFiles(this.pool, since, 100),
      readUpkeep(this.pool),
      listDeafChannels(this.pool, DEAF_FROM, MOST_CHANNELS),
      listDeafHooks(this.pool, DEAF_FROM),
    ])
    return [
      ...captureProblems(upkeep).map(({ label, problem }) => ({
        key: `table ${label}`,
        what: `${label} is not recorded as it should be`,
        why: problem,
        path: '/under-the-hood',
      })),
      ...broken.map(({ id, name, problems }) => ({
        key: `workflow ${id}`,
        what: `“${name}” cannot do what it says`,
        why: problems.join(' '),
        path: `/workflows/${encodeURIComponent(name)}`,
      })),
      ...refused.map((file) => ({
        key: `file ${file.import} ${file.file} ${file.at.toISOString()}`,
        what: `The file ${file.file} of the import ${file.import} was refused`,
        why: file.problem,
        path: `/records/${encodeURIComponent(file.table)}/import`,
      })),
      ...channels.map(({ channel, notices, reply }) => ({
        key: `channel ${channel}`,
        what: `The channel “${channel}” takes no notices`,
        why: `${notices === 1 ? 'One waits' : `${notices} wait`} and will be given again. It said: ${reply}`,
        path: '/notices?state=queued',
      })),
      ...hooks.map(({ name, reply }) => ({
        key: `program ${name}`,
        what: `The program “${name}” takes no changes`,
        why: `They wait and will be told again. It said: ${reply}`,
        path: '/settings',
      })),
    ]
  }

  /** What of it was there long enough to be told. */
  private lasting(standing: readonly Standing[]): Standing[] {
    const now = performance.now()
    this.since = new Map(standing.map(({ key }) => [key, this.since.get(key) ?? now]))
    return standing.filter(({ key }) => now - (this.since.get(key) ?? now) >= this.gatherMs)
  }
}
