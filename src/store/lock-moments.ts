import { setTimeout as pause } from 'node:timers/promises'
import type { Queryable } from './database'
import { mayPass } from './problems'

/** How long each statement waits for a lock, how long others are let go on after it did so in vain, in milliseconds, and how often it is tried. */
export interface Moments {
  readonly waitMs: number
  readonly pauseMs: number
  readonly tries: number
}

const AT_NIGHT: Moments = { waitMs: 300, pauseMs: 10_000, tries: 60 }

/**
 * Does work that takes locks of whole tables, such as a new part of a log, on one connection and outside of transactions: who waits for such a lock behind somebody who reads for hours makes all others wait
 * behind it, so it waits a moment only and tries again later. The work may be begun anew. @throws Error where it was tried in vain so often
 */
export async function inMoments<T>(db: Queryable, work: () => Promise<T>, { waitMs, pauseMs, tries }: Moments = AT_NIGHT): Promise<T> {
  await db.query(`set lock_timeout = '${waitMs}ms'`)
  try {
    return await againAndAgain(work, pauseMs, tries)
  } finally {
    await db.query('reset lock_timeout').catch(() => undefined)
  }
}

/** Does work, and again after about so many milliseconds where something that may pass was in the way, so many times at most. @throws what it throws then, and any other error */
export async function againAndAgain<T>(work: () => Promise<T>, pauseMs: number, tries: number): Promise<T> {
  for (let tried = 1; ; tried++) {
    try {
      return await work()
    } catch (error) {
      if (!mayPass(error) || tried === tries) throw error
      await pause(pauseMs * (0.5 + Math.random()))
    }
  }
}
