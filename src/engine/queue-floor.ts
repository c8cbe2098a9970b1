import type { Pool } from 'pg'
import { BEGINNING, type Floor, findFloor, type Moment, NO_FLOOR, noteMoment } from '@/store/floor'
import { Seldom } from './seldom'

/** How often the floor is raised: transactions that are open for less do not keep it down. */
const RAISED_EVERY_MS = 400

/** How often it is found anew from the bottom, and how many times as long as that took it is not done again at least: while a transaction is open for hours, all that was handled since lies there. */
const ANEW_EVERY_MS = 10_000
const ANEW_RESTS = 50

/** The floor above which a worker looks for changes, so that it does not pass over all that was handled since the oldest transaction that is open. */
export class QueueFloor {
  known: Floor = NO_FLOOR
  /** The last two moments noted. */
  private moments: readonly [Moment, Moment | null] = [BEGINNING, null]
  private raisedAt = 0
  private readonly anew = new Seldom(ANEW_EVERY_MS, ANEW_RESTS)

  constructor(private readonly pool: Pool) {}

  /** Raises it where that was a while ago. */
  async keepUp(): Promise<void> {
    const now = performance.now()
    const [before, last] = this.moments
    if (last && now - this.raisedAt < RAISED_EVERY_MS) return
    const moment = await noteMoment(this.pool)
    if (last) this.known = await this.find(last, before)
    this.moments = [last ?? BEGINNING, moment]
    this.raisedAt = now
  }

  private find(last: Moment, before: Moment): Promise<Floor> {
    const above = (known: Floor) => findFloor(this.pool, last, known, before)
    return this.anew.isDue ? this.anew.do(() => above({ ...this.known, id: 0 })) : above(this.known)
  }
}
