import { one, type Queryable } from './database'

/** Below it nothing of the queue is to be seen but what some transactions may write that are open already (`running`, ids of PostgreSQL's own): once one of them has ended, it counts as 0. */
export interface Floor {
  readonly id: number
  readonly running: readonly string[]
}

export const NO_FLOOR: Floor = { id: 0, running: [] }

/** A moment: the last number drawn for a change, and a transaction begun after that. */
export interface Moment {
  readonly drawn: number
  readonly begun: string
}

/** This moment: whoever has drawn a number up to `drawn` has begun before `begun`. */
export function noteMoment(db: Queryable): Promise<Moment> {
  return one<Moment>(
    db,
    `with d as materialized (select case when is_called then last_value else last_value - 1 end as drawn from rappel.change_id)
     select drawn, pg_current_xact_id()::text as begun from d`,
  )
}

/** A floor as of a moment that is past, so that few transactions are still open that are older; what waits is looked for above a floor known before. */
export function findFloor(db: Queryable, { drawn, begun }: Moment, known: Floor): Promise<Floor> {
  return one<Floor>(db, 'select f.id, f.still_running::text[] as running from rappel.find_floor($1, $2::text::xid8, $3, $4::text[]::xid8[]) f', [
    drawn,
    begun,
    known.id,
    known.running,
  ])
}
