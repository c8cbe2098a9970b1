import { one, type Queryable } from './database'

/**
 * Below it nothing of the queue is to be seen but what some transactions may write that are open already (`running`, ids of PostgreSQL's own); each of them writes above a number of its own
 * (`lows`, in the same order): once it has ended, that is the floor.
 */
export interface Floor {
  readonly id: number
  readonly running: readonly string[]
  readonly lows: readonly number[]
}

export const NO_FLOOR: Floor = { id: 0, running: [], lows: [] }

/** A floor as what PostgreSQL's functions are handed last. */
export const asArguments = ({ id, running, lows }: Floor): unknown[] => [id, running, lows]

/** A moment: the last number drawn for a change, and a transaction begun after that. */
export interface Moment {
  readonly drawn: number
  readonly begun: string
}

/** Before anything. */
export const BEGINNING: Moment = { drawn: 0, begun: '0' }

/** This moment: whoever has drawn a number up to `drawn` has begun before `begun`. */
export function noteMoment(db: Queryable): Promise<Moment> {
  return one<Moment>(
    db,
    `with d as materialized (select case when is_called then last_value else last_value - 1 end as drawn from rappel.change_id)
     select drawn, pg_current_xact_id()::text as begun from d`,
  )
}

/**
 * A floor as of a moment that is past, so that few transactions are still open that are older; what waits is looked for above a floor known before. Who is open now and had not begun at
 * `before`, an earlier moment, draws higher numbers than were drawn by then.
 */
export async function findFloor(db: Queryable, { drawn, begun }: Moment, known: Floor, before: Moment = BEGINNING): Promise<Floor> {
  const { id, running } = await one<Omit<Floor, 'lows'>>(
    db,
    'select f.id, f.still_running::text[] as running from rappel.find_floor($1, $2::text::xid8, $3, $4::text[]::xid8[], $5::bigint[]) f',
    [drawn, begun, ...asArguments(known)],
  )
  const lowOf = new Map(known.running.map((xid, i) => [xid, known.lows[i]]))
  return { id, running, lows: running.map((xid) => lowOf.get(xid) ?? (BigInt(xid) >= BigInt(before.begun) ? before.drawn : 0)) }
}
