import type { Queryable } from '@/store/database'
import { readNow } from '@/store/now'
import type { Clock } from './clock'

/** How often the database is asked at first; the answer that came soonest says most. */
const AT_FIRST = 3

/** Between which two what is to be added to the time that has passed lies, in milliseconds since 1970: the database says what time it is some time between the question and its answer. */
async function bounds(db: Queryable, passed: () => number): Promise<readonly [least: number, most: number]> {
  const asked = passed()
  const at = (await readNow(db)).getTime()
  return [at - passed(), at + 1 - asked]
}

/**
 * The database's clock, as a process can tell it without asking each time: what the database said, gone on by the monotonic clock of the machine. Processes on machines that disagree about the time go by
 * the same, and a machine's clock that is set anew moves nothing.
 */
export class DatabaseClock {
  private constructor(
    private readonly db: Queryable,
    private readonly passed: () => number,
    /** What is to be added to the time that has passed, in milliseconds since 1970. */
    private base: number,
  ) {}

  /** The clock of a database; `passed` tells the milliseconds that have passed from any beginning. @throws Error where the database is away */
  static async of(db: Queryable, passed: () => number = () => performance.now()): Promise<DatabaseClock> {
    const [least, most] = await bounds(db, passed)
    const clock = new DatabaseClock(db, passed, (least + most) / 2)
    for (let i = 1; i < AT_FIRST; i++) await clock.ask()
    return clock
  }

  readonly now: Clock = () => new Date(this.base + this.passed())

  /** Asks what time it is. What is known is kept as long as it may be so, for a slow answer knows less. @throws Error where the database is away */
  async ask(): Promise<void> {
    const [least, most] = await bounds(this.db, this.passed)
    this.base = Math.min(most, Math.max(least, this.base))
  }
}
