import type { Pool } from 'pg'
import type { Setting } from '@/core/conditions/compile'
import type { Condition } from '@/core/document/condition'
import type { Image, RecordId, TableDef } from '@/core/values/tables'
import { many } from './database'
import { idsInOrder, recordsOf } from './records'

/** From so many records on their order is kept a while, for sorting all of them for each page of a scroll would hold it up. */
const LARGE = 100_000

/** Pages from this one on are taken from it: those before are found quickly, and as they stand. */
const DEEP = 1_000

/** How long an order counts, in milliseconds, and how many are kept of a database, the last used ones. */
const COUNTS_MS = 20_000
const MOST_KEPT = 3

interface Kept {
  readonly ids: Promise<readonly RecordId[]>
  madeAt: number
}

const kept = new WeakMap<Pool, Map<string, Kept>>()

/** A page of records in an order, and how many there are in all. */
export interface SortedPage {
  readonly records: Image[]
  readonly all: number
}

interface Asked {
  readonly where?: Condition
  readonly order: string
  readonly limit: number
  readonly offset: number
}

/**
 * A page far down in an order of a large table: the order is worked out once and counts for twenty seconds, the records are as they stand. Null where the table is small or the
 * page near the top; there the order of a large table is worked out meanwhile, for whoever scrolls on. @throws Refused where it cannot be sorted so
 */
export async function sortedPage(pool: Pool, table: TableDef, setting: Setting, { where, order, limit, offset }: Asked): Promise<SortedPage | null> {
  const isDeep = offset >= DEEP
  if (!isDeep && offset > 0) return null
  if (!(await isLarge(pool, table))) return null
  const ids = orderOf(pool, table, setting, where, order)
  if (!isDeep) {
    ids.catch(() => undefined) // whoever asks for the page itself is told
    return null
  }
  const all = await ids
  return { records: await recordsOf(pool, table, all.slice(offset, offset + limit)), all: all.length }
}

async function isLarge(pool: Pool, { name }: TableDef): Promise<boolean> {
  const [size] = await many<{ rows: number }>(pool, 'select reltuples::float as rows from pg_class where oid = rappel.base_of($1)', [name])
  return (size?.rows ?? 0) >= LARGE
}

function orderOf(pool: Pool, table: TableDef, setting: Setting, where: Condition | undefined, order: string): Promise<readonly RecordId[]> {
  const orders = kept.get(pool) ?? new Map<string, Kept>()
  kept.set(pool, orders)
  const key = JSON.stringify([table.name, order, where ?? null])
  const known = orders.get(key)
  if (known && performance.now() - known.madeAt < COUNTS_MS) return known.ids
  const made: Kept = { ids: idsInOrder(pool, table, setting, { where, order }), madeAt: performance.now() }
  orders.delete(key)
  orders.set(key, made)
  made.ids.then(
    () => {
      made.madeAt = performance.now()
    },
    () => orders.delete(key),
  )
  for (const oldest of [...orders.keys()].slice(0, Math.max(0, orders.size - MOST_KEPT))) orders.delete(oldest)
  return made.ids
}
