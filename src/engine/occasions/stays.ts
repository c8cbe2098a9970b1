import type { Pool } from 'pg'
import type { Image } from '@/core/values/tables'
import { takeShard } from '@/store/changes'
import { type Queryable, transaction } from '@/store/database'
import { isFaultOfData } from '@/store/problems'
import { readRecords } from '@/store/records'
import { dueShards, dueStays, endStays, nextStay, type OpenStay } from '@/store/stays'
import type { Clock } from '../clock'
import type { Dispatcher } from '../dispatch'
import { fire } from '../fire'
import { persist } from '../persist'
import type { Tell } from '../tell'
import { close, type Due, following, settleDue } from './follow'
import type { Source } from './source'

/** Waits that are over which are handled at once. */
const AT_ONCE = 200

/** Conditions that became true and have held for the time asked: decides about them when that is over. */
export class Stays implements Source {
  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    private readonly clock: Clock,
    private readonly tell: Tell = () => undefined,
  ) {}

  /** When the next wait is over, or null. */
  next(): Promise<Date | null> {
    return nextStay(this.pool)
  }

  /** Decides about waits that are over; how many. @throws Error where the database is away */
  async handle(): Promise<number> {
    let handled = 0
    for (const shard of await dueShards(this.pool, this.clock())) handled += await this.handleShard(shard)
    return handled
  }

  private async handleShard(shard: number): Promise<number> {
    try {
      return await this.handleBatch(shard, AT_ONCE)
    } catch (error) {
      if (!isFaultOfData(error)) throw error
      this.tell('waits that are over could not be decided about; they are taken one by one', { shard, error: String(error) })
    }
    return this.handleBatch(shard, 1).catch((error: unknown) => {
      if (!isFaultOfData(error)) throw error
      this.tell('a wait that is over could not be decided about and was ended', { shard, error: String(error) })
      return transaction(this.pool, async (db) => {
        if (!(await takeShard(db, shard))) return 0
        const due = await dueStays(db, shard, this.clock(), 1)
        await endStays(
          db,
          due.map(({ id, due_at }) => ({ id, outcome: 'did not fit', ended_at: due_at, ended_by: null })),
        )
        return due.length
      })
    })
  }

  private handleBatch(shard: number, limit: number): Promise<number> {
    return transaction(this.pool, async (db) => {
      if (!(await takeShard(db, shard))) return 0
      const due = await dueStays(db, shard, this.clock(), limit)
      if (due.length === 0) return 0
      const program = await this.dispatcher.current(db)
      const images = await imagesOf(db, due)
      const followed = due.map(following)
      const over: Due[] = []
      for (const one of followed) {
        const live = await this.dispatcher.versions.get(db, program, one.stay)
        over.push({ one, live, image: images.get(`${one.stay.tbl} ${one.stay.rec}`) ?? null })
      }
      await settleDue(db, program, over)
      const firings = await fire(
        db,
        program,
        followed.flatMap((w) => w.pair ?? []),
        this.dispatcher.deciding,
      )
      await persist(db, firings, this.dispatcher.post(program))
      await close(db, followed, firings)
      return due.length
    })
  }
}

async function imagesOf(db: Queryable, due: readonly OpenStay[]): Promise<Map<string, Image>> {
  const images = new Map<string, Image>()
  for (const table of new Set(due.map((d) => d.tbl))) {
    const records = due.filter((d) => d.tbl === table).map((d) => d.rec)
    for (const [id, image] of await readRecords(db, table, records)) images.set(`${table} ${id}`, image)
  }
  return images
}
