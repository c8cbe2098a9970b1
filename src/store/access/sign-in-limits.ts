import type { Pool } from 'pg'
import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible'

/** Tries from one place at one address that are answered at once. */
const FREE = 5

/** What each further try waits, in milliseconds: it doubles up to the longest. */
interface Waits {
  readonly first: number
  readonly longest: number
}
const WAITS: Waits = { first: 1_000, longest: 16_000 }

/** Tries that may wait at the same time at one place: who sends more at once guesses, and is sent away. */
const WAITING_AT_ONCE = 2

/** Failures of one address within an hour, from everywhere together, after which every strange place is slow from its first try on (OWASP ASVS 4.0.3, 2.2.1). */
const FAILURES_AN_HOUR = 100

const LANE_SECONDS = 15 * 60

/** How long the nth try of a place waits, in milliseconds. */
export function waitOf(tries: number, isBesieged: boolean, { first, longest }: Waits = WAITS): number {
  if (isBesieged) return longest
  return tries <= FREE ? 0 : Math.min(first * 2 ** (tries - FREE - 1), longest)
}

/** Where a try to sign in comes from. */
export interface Place {
  readonly email: string
  /** The network address. */
  readonly caller: string
  /** A mark that somebody who signed in before left in their browser; a place of its own, which strangers cannot make slow. */
  readonly device: string | null
}

/** Whether a try may go on (after its wait), or is one of too many at once. */
export type Admission = 'go on' | 'too many at once'

/**
 * Slows guessing of passwords: each try is counted before it is looked at, by address and place; from the sixth on a place waits,
 * twice as long each time up to 16 seconds. Nothing is ever locked, so that nobody can shut somebody else out.
 */
export class SignInLimits {
  private readonly lane: RateLimiterPostgres
  private readonly account: RateLimiterPostgres
  private readonly waiting = new Map<string, number>()

  constructor(
    pool: Pool,
    private readonly waits = WAITS,
  ) {
    const base = { storeClient: pool, tableName: 'sign_in_attempt', schemaName: 'rappel', tableCreated: true, points: FREE }
    this.lane = new RateLimiterPostgres({ ...base, keyPrefix: 'lane', duration: LANE_SECONDS })
    this.account = new RateLimiterPostgres({ ...base, keyPrefix: 'account', duration: 3_600 })
  }

  /** Counts a try, and waits as long as it has to. */
  async admit(place: Place): Promise<Admission> {
    const key = laneOf(place)
    const [tries, failures] = await Promise.all([count(this.lane, key), count(this.account, accountOf(place))])
    const wait = waitOf(tries, place.device === null && failures > FAILURES_AN_HOUR, this.waits)
    if (wait === 0) return 'go on'
    const turn = place.device === null && failures > FAILURES_AN_HOUR ? accountOf(place) : key
    const waiting = this.waiting.get(turn) ?? 0
    if (waiting >= WAITING_AT_ONCE) return 'too many at once'
    this.waiting.set(turn, waiting + 1)
    await new Promise((resolve) => setTimeout(resolve, wait))
    const left = (this.waiting.get(turn) ?? 1) - 1
    if (left > 0) this.waiting.set(turn, left)
    else this.waiting.delete(turn)
    return 'go on'
  }

  /** Takes back what a try counted that was right: the place is as if nothing had been. */
  async succeeded(place: Place): Promise<void> {
    await Promise.all([this.lane.delete(laneOf(place)), this.account.reward(accountOf(place), 1)])
  }
}

/** The one form of an address that signs in: as mail to it would be, whatever its letters and blanks. */
export const accountOf = ({ email }: Pick<Place, 'email'>) => email.normalize('NFKC').trim().toLowerCase().slice(0, 200)

const laneOf = (place: Place) => (place.device ? `device ${place.device}` : `${place.caller} ${accountOf(place)}`).slice(0, 240)

/** Counts one, and answers how many there are now. */
async function count(limiter: RateLimiterPostgres, key: string): Promise<number> {
  try {
    return (await limiter.consume(key)).consumedPoints
  } catch (result) {
    if (result instanceof RateLimiterRes) return result.consumedPoints // more than are free
    throw result
  }
}
