import { createHash } from 'node:crypto'
import type { Pool } from 'pg'
import type { Standing } from '@/core/message/trouble'
import { listBroken } from '@/store/broken'
import { listRefusedFiles } from '@/store/bulk/imports'
import { readUpkeep } from '@/store/health'
import { readMailState } from '@/store/mail-state'
import { listDeafChannels, listDeafHooks } from '@/store/notice-log'
import { captureProblems } from '../capture-problems'
import type { Clock } from '../clock'

const HOUR_MS = 3_600_000
/** From so many tries on, after some minutes, a channel or a program that does not take what it is given is told of. */
const DEAF_FROM = 4
const MOST_CHANNELS = 20
/** Files that were refused longer ago are nobody's news. */
const NEWS_MS = 3 * 24 * HOUR_MS
/** What is wrong is told at most once in an hour, as the mail says. */
const REST_MS = HOUR_MS

/** What something that stands wrong is known by, of one length. */
const sumOf = ({ key }: Standing) => createHash('sha256').update(key).digest('base64url').slice(0, 22)

/** What is wrong until somebody mends it, for whoever is told by mail. */
export async function standingWrong(pool: Pool, clock: Clock): Promise<Standing[]> {
  const since = new Date(clock().getTime() - NEWS_MS)
  const [broken, refused, upkeep, channels, hooks] = await Promise.all([
    listBroken(pool),
    listRefusedFiles(pool, since, 100),
    readUpkeep(pool),
    listDeafChannels(pool, DEAF_FROM, MOST_CHANNELS),
    listDeafHooks(pool, DEAF_FROM),
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

/** The same for a channel, which can be told what no mail can: that the mail server does not answer. */
export async function standingForChannel(pool: Pool, clock: Clock): Promise<Standing[]> {
  const [mail, standing] = await Promise.all([readMailState(pool), standingWrong(pool, clock)])
  if (mail.ok !== false) return standing
  return [
    { key: 'mail server', what: 'The mail server does not answer', why: `Messages wait, and go as soon as it is back. It said: ${mail.reply ?? ''}`, path: '/under-the-hood' },
    ...standing,
  ]
}

/** Tells what stands wrong for long enough from what passes. */
export class Lasting {
  /** Since when each was seen to be, on this process's monotonic clock. */
  private since = new Map<string, number>()

  constructor(private readonly gatherMs: number) {}

  /** What of it was there long enough to be told. */
  of(standing: readonly Standing[]): Standing[] {
    const now = performance.now()
    this.since = new Map(standing.map(({ key }) => [key, this.since.get(key) ?? now]))
    return standing.filter(({ key }) => now - (this.since.get(key) ?? now) >= this.gatherMs)
  }
}

/** What is new of what stands wrong, against what was told last; by which sums all of it, and what of it was told, is known; and whether anything may be told again. */
export function newsOf(standing: readonly Standing[], last: { readonly at: Date | null; readonly standing: readonly string[] }, now: Date) {
  const sums = new Map(standing.map((one) => [sumOf(one), one]))
  return {
    sums: [...sums.keys()],
    known: last.standing.filter((sum) => sums.has(sum)),
    news: [...sums].filter(([sum]) => !last.standing.includes(sum)).map(([, one]) => one),
    isFree: last.at === null || now.getTime() - last.at.getTime() >= REST_MS,
  }
}
