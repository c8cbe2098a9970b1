import type { Pool } from 'pg'
import { RateLimiterPostgres, type RateLimiterRes } from 'rate-limiter-flexible'

const PER_ADDRESS = { points: 10, duration: 15 * 60 }
const PER_CALLER = { points: 50, duration: 15 * 60 }

/** Limits how often signing in may fail: for one e-mail, and for one caller. */
export class SignInLimits {
  private readonly byEmail: RateLimiterPostgres
  private readonly byCaller: RateLimiterPostgres

  constructor(pool: Pool) {
    const base = { storeClient: pool, tableName: 'sign_in_attempt', schemaName: 'rappel', tableCreated: true }
    this.byEmail = new RateLimiterPostgres({ ...base, keyPrefix: 'email', ...PER_ADDRESS })
    this.byCaller = new RateLimiterPostgres({ ...base, keyPrefix: 'caller', ...PER_CALLER })
  }

  /** Seconds to wait before the next try; 0 when one may try now. */
  async wait(email: string, caller: string): Promise<number> {
    const [a, b] = await Promise.all([this.byEmail.get(email.toLowerCase()), this.byCaller.get(caller)])
    return Math.max(over(a, PER_ADDRESS.points), over(b, PER_CALLER.points))
  }

  /** Counts a failure. */
  async failed(email: string, caller: string): Promise<void> {
    await Promise.all([this.byEmail.penalty(email.toLowerCase(), 1), this.byCaller.penalty(caller, 1)])
  }

  /** Forgets the failures of an e-mail after a success. */
  async succeeded(email: string): Promise<void> {
    await this.byEmail.delete(email.toLowerCase())
  }
}

function over(result: RateLimiterRes | null, points: number): number {
  return result && result.consumedPoints >= points ? Math.ceil(result.msBeforeNext / 1000) : 0
}
