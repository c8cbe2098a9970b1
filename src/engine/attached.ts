import type { Pool } from 'pg'
import { tellStatementsApart } from '@/store/attach/begin-triggers'
import { followTable, holdAttached, otherAttached, staleAttached } from '@/store/attach/follow'
import { limitLockWaits, type Queryable } from '@/store/database'
import { anyOutdated } from '@/store/figures/definitions'
import { renew } from './figures/renew'
import type { Program } from './program'
import type { Tell } from './tell'

/** How often the catalogue is asked for what leaves a table's columns as they are: choices, rights, a table that is back. */
const LOOK_WHOLE_MS = 5_000

/** Follows what the owners of attached tables do to them. */
export class Follower {
  private lookedAt = Number.NEGATIVE_INFINITY

  constructor(
    private readonly pool: Pool,
    private readonly tell: Tell,
    private readonly baseUrl: string,
  ) {}

  /** Follows every table that is not as it was; how many there were. @throws Error where one is busy, once the others are followed */
  async look(): Promise<number> {
    const now = performance.now()
    const isWhole = now - this.lookedAt >= LOOK_WHOLE_MS
    const stale = await staleAttached(this.pool)
    const tables = new Set([...stale, ...(isWhole ? await otherAttached(this.pool) : [])])
    if (isWhole) this.lookedAt = now
    const faults: unknown[] = []
    for (const table of tables) {
      try {
        for (const news of await followTable(this.pool, table)) this.tell(news, { table })
      } catch (error) {
        faults.push(error)
      }
    }
    if ((tables.size > 0 || isWhole) && (await anyOutdated(this.pool))) await renew(this.pool, this.baseUrl)
    if (isWhole) await tellStatementsApart(this.pool)
    if (faults.length) throw faults[0]
    return tables.size
  }
}

/** An attached table is not as it was looked at last: what is to be read of it is decided about once that was followed. */
class Stale extends Error {
  override readonly name = 'Stale'
  /** A state that passes, as SQLSTATE 55000 (object not in prerequisite state). */
  readonly code = '55000'
}

/**
 * Lets a transaction go on only where every attached table is as it was looked at last, and keeps it so until it ends; answers those that their owners hold, of which nothing can be read. What is
 * read of one of them all the same does not wait for long. @throws Stale
 */
export async function holdStill(db: Queryable, { surroundings }: Program): Promise<ReadonlySet<string>> {
  if (![...surroundings.schema.values()].some((t) => t.attached)) return NONE
  const { stale, held } = await holdAttached(db)
  if (stale.length) throw new Stale(`Another program has just changed the columns of ${stale.join(', ')}; that is followed first.`)
  if (held.size) await limitLockWaits(db)
  return held
}

const NONE: ReadonlySet<string> = new Set()
