import type { Queryable } from '@/store/database'
import { readNow } from '@/store/now'
import type { Clock } from './clock'

/** How often the database is asked at first; the answer that came soonest says most. */
const AT_FIRST = 3

/**
 * The database's clock, as a process can tell it without asking each time: what the database said, gone on by the monotonic clock of the machine. Processes on machines that disagree about the time go by
 * the same, and a machine's clock that is set anew moves nothing.
 */
export class DatabaseClock {
  /** What is to be added to the monotonic clock, in milliseconds since 1970; null before the database was asked. */
  private base: number | null = null

  constructor(
    private readonly db: Queryable,
    /** Milliseconds that have passed, from any beginning. */
    private readonly passed: () => number = () => performance.now(),
  ) {}

  readonly now: Clock = () => new Date(this.base === null ? Date.now() : this.base + this.passed())

  async begin(): Promise<void> {
    for (let i = 0; i < AT_FIRST; i++) await this.ask()
  }

  /**
   * Asks what time it is. The database said it some time between the question and its answer: as long as what is known lies between the two it is kept, for a slow answer knows less.
   * @throws Error where the database is away
   */
  async ask(): Promise<void> {
    const asked = this.passed()
    const at = (await readNow(this.db)).getTime()
    const [least, most] = [at - this.passed(), at + 1 - asked]
    this.base = this.base === null ? (least + most) / 2 : Math.min(most, Math.max(least, this.base))
  }
}
