import type { Pool, PoolClient } from 'pg'
import { Dispatcher } from '@/engine/dispatch'
import { Held } from '@/engine/limits/held'
import { Stays } from '@/engine/occasions/stays'
import { Timetables } from '@/engine/occasions/timetables'
import { busyShards } from '@/store/changes'
import { transaction } from '@/store/database'
import { actAs } from '@/store/who'
import { BASE_URL } from './engine'

const UNITS: Readonly<Record<string, number>> = { minute: 60_000, hour: 3_600_000, day: 86_400_000 }

/** How a settling is done: with pages of so many records, and given up after so many handlings, as if the process had died. */
export interface Settling {
  readonly recordsAPage?: number
  readonly stopAfter?: number
}

/**
 * The engine by a clock of one's own, driven by hand: what is written bears the clock's time, and time passes from one due moment to the next, as it does where a worker runs.
 */
export function machine(pool: Pool, start: Date) {
  let at = start
  const clock = () => at
  const fresh = () => {
    const dispatcher = new Dispatcher(pool, BASE_URL, clock)
    return {
      dispatcher,
      stays: new Stays(pool, dispatcher, clock),
      held: new Held(pool, dispatcher, clock),
      timetables: (page?: number) => new Timetables(pool, dispatcher, clock, undefined, page),
    }
  }
  const parts = fresh()

  const drain = async () => {
    for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) for (const shard of busy) await parts.dispatcher.handleShard(shard)
  }
  /** Handles all that is queued or due by now. */
  const settle = async ({ recordsAPage, stopAfter = Number.POSITIVE_INFINITY }: Settling = {}) => {
    const timetables = parts.timetables(recordsAPage)
    let handled = 0
    for (let more = 1; more > 0 && handled < stopAfter; ) {
      await drain()
      while ((await parts.dispatcher.handleLate()) > 0);
      more = (await parts.stays.handle()) + (await parts.held.handle())
      while (handled < stopAfter && (await timetables.handle()) > 0) {
        more++
        handled++
      }
    }
  }
  const nextDue = async () => {
    const due = [await parts.stays.next(), await parts.timetables().next(), await parts.held.next()].filter((d): d is Date => d !== null)
    return due.length ? Math.min(...due.map((d) => d.getTime())) : Number.POSITIVE_INFINITY
  }
  /** Lets time pass up to a moment, stopping wherever anything is due. */
  const passUntil = async (end: number) => {
    await settle()
    for (let due = await nextDue(); due <= end; due = await nextDue()) {
      at = new Date(Math.max(due, at.getTime()))
      await settle()
    }
    at = new Date(end)
    await settle()
  }
  return {
    now: clock,
    set: (moment: Date) => {
      at = moment
    },
    settle,
    passUntil: (moment: Date) => passUntil(moment.getTime()),
    pass: (span: string) => {
      const spans = [...span.matchAll(/(\d+) (minute|hour|day)s?/g)].map(([, count, unit]) => Number(count) * (UNITS[unit ?? ''] ?? 0))
      return passUntil(at.getTime() + spans.reduce((a, b) => a + b, 0))
    },
    /** Writes in a transaction that bears a moment of its own. */
    write: <T>(moment: Date, work: (db: PoolClient) => Promise<T>): Promise<T> =>
      transaction(pool, async (db) => {
        await actAs(db, { by: { kind: 'system', person: null, name: 'somebody' }, clock: moment })
        return work(db)
      }),
  }
}

export type Machine = ReturnType<typeof machine>
