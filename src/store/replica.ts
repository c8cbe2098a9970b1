import { setTimeout } from 'node:timers/promises'
import type { Pool } from 'pg'
import { codeOf } from '@/core/must'
import { createPool, one } from './database'
import { isDatabaseAway } from './problems'

/** How long a replica is believed to be as it was found, and how long one that is away is left alone. */
const LOOKED_MS = 1_000
const AWAY_MS = 10_000

/** Seconds behind from which on a replica is not read from. */
const MOST_BEHIND = 60

/** How long what was committed a moment ago is waited for on a replica, and how often it is looked for meanwhile. */
const REACHED_WITHIN_MS = 100
const REACHED_EVERY_MS = 10

/** Where the log of what was written ends now; null on a server that follows another. */
const WRITTEN = 'select case when pg_is_in_recovery() then null else pg_current_wal_lsn() end::text as at'

/** Where reads go, and how many seconds what they see is behind; null where they go to the database that is written to. */
export interface ReadFrom {
  readonly pool: Pool
  readonly behind: number | null
}

/** A replica that long reads are done on, with the database itself to fall back on where it is away, too far behind, or ends a read because of what it follows. */
export class Replica {
  private readonly replica: Pool | null
  private found: { readonly behind: number | null; readonly until: number } | null = null
  /** Until when nothing is waited for on the replica, since what was waited for last did not come in time. */
  private lateUntil = 0

  /** `url` null: there is none, and everything is read from `primary`. */
  constructor(
    private readonly primary: Pool,
    url: string | null,
    connections = 6,
  ) {
    this.replica = url ? createPool(url, { max: connections, name: 'rappel reading', isReplica: true }) : null
  }

  /** Where to read from now. */
  async from(): Promise<ReadFrom> {
    if (!this.replica) return { pool: this.primary, behind: null }
    const behind = await this.behind(this.replica)
    return behind === null ? { pool: this.primary, behind: null } : { pool: this.replica, behind }
  }

  /** Does a read on the replica where that can be, and where it `has` what the read is about, else, or where it fails there, on the database itself. */
  async read<T>(work: (pool: Pool, behind: number | null) => Promise<T>, has: (pool: Pool) => Promise<boolean> = () => Promise.resolve(true)): Promise<T> {
    const { pool, behind } = await this.from()
    if (pool === this.primary) return work(pool, null)
    try {
      if (!(await has(pool))) return work(this.primary, null)
      return await work(pool, behind)
    } catch (error) {
      if (!isOfReplica(error)) throw error
      if (isDatabaseAway(error)) this.found = { behind: null, until: performance.now() + AWAY_MS }
      return work(this.primary, null)
    }
  }

  /** Does a read that has to know all that is committed by now: on the replica where that has it within a moment, else on the database itself. */
  readNow<T>(work: (pool: Pool) => Promise<T>): Promise<T> {
    return this.read(work, async (replica) => {
      const { at } = await one<{ at: string | null }>(this.primary, WRITTEN)
      return at !== null && this.hasReached(replica, at)
    })
  }

  async end(): Promise<void> {
    await this.replica?.end()
  }

  /** Whether a replica has gone as far as a place in the log of what was written, waiting a moment for it, unless that was in vain just now. */
  private async hasReached(replica: Pool, at: string): Promise<boolean> {
    const waits = performance.now() >= this.lateUntil
    const end = performance.now() + (waits ? REACHED_WITHIN_MS : 0)
    for (;;) {
      const { is } = await one<{ is: boolean }>(replica, 'select pg_is_in_recovery() and pg_last_wal_replay_lsn() >= $1::pg_lsn as is', [at])
      if (is) return true
      if (performance.now() >= end) break
      await setTimeout(REACHED_EVERY_MS)
    }
    if (waits) this.lateUntil = performance.now() + LOOKED_MS
    return false
  }

  /** Seconds that the replica is behind; null where it is not to be read from. */
  private async behind(replica: Pool): Promise<number | null> {
    if (this.found && performance.now() < this.found.until) return this.found.behind
    try {
      const { at } = await one<{ at: string | null }>(this.primary, WRITTEN)
      const { behind } = await one<{ behind: number }>(
        replica,
        `select case when $1::pg_lsn is null or not pg_is_in_recovery() or pg_last_wal_replay_lsn() >= $1::pg_lsn then 0
                else greatest(0, extract(epoch from clock_timestamp() - coalesce(pg_last_xact_replay_timestamp(), '-infinity'::timestamptz))) end::float as behind`,
        [at],
      )
      this.found = { behind: behind <= MOST_BEHIND ? behind : null, until: performance.now() + LOOKED_MS }
    } catch {
      this.found = { behind: null, until: performance.now() + AWAY_MS }
    }
    return this.found.behind
  }
}

/** Whether an error is the replica's own: it is away, it only reads (25006), it ended a read because of what it follows (40001), or lacks what was made a moment ago (class 42), by PostgreSQL's appendix A. */
function isOfReplica(error: unknown): boolean {
  const code = codeOf(error)
  return isDatabaseAway(error) || (typeof code === 'string' && /^(25006|40001|42703|42P01|42883)$/.test(code))
}
