import { manyPrepared, type Queryable, touch } from './database'

/** Where something waits: a shard, a change of it that was handled before, above which its oldest is looked for, and the change that this worker noted last, whose note is let go of. */
export interface Place {
  readonly shard: number
  readonly above: number
  readonly noted: number | null
}

/** A note that a change is about to be handled. */
export interface Noted {
  readonly shard: number
  readonly change: number
}

/**
 * The oldest change of each shard, above one that was handled before, so that what was taken off the queue since the last clean-up is not gone through; with the notes let go of that were made
 * before. Each note is a row of its own, found by its change: one row of a shard, written over and over, is gone through in all its versions while some transaction is open for long.
 */
const HEADS = `head as materialized (
       select h.shard, h.change_id, set_config('synchronous_commit', 'off', true) from rappel.heads($1::int[], $2::bigint[]) h),
     gone as (
       delete from rappel.tried t using unnest($1::int[], $3::bigint[]) n (shard, change)
        where t.shard = n.shard and t.change_id = n.change and not exists (select from head h where h.shard = t.shard and h.change_id = t.change_id))`

const asArguments = (places: readonly Place[]) => [places.map((p) => p.shard), places.map((p) => p.above), places.map((p) => p.noted)]

/**
 * Notes that a shard's oldest change is about to be handled, on a connection of its own, and answers which try at that change it is; null where nothing waits.
 * Whoever calls holds the shard. The note needs not outlast the database, so that its commit waits for no disk.
 */
export async function noteAttempt(db: Queryable, place: Place): Promise<(Noted & { readonly tries: number }) | null> {
  const [noted] = await manyPrepared<Noted & { tries: number }>(
    db,
    'attempt',
    `with ${HEADS}
     insert into rappel.tried as a (shard, change_id, tries) select shard, change_id, 1 from head
     on conflict (shard, change_id) do update set tries = a.tries + 1, at = now() returning shard, change_id as change, tries`,
    asArguments([place]),
  )
  return noted ?? null
}

/** A shard's oldest change, as it is to be handled with those of others. */
export interface Head extends Noted {
  /** Whether nobody tried it before, so that it is noted now. */
  readonly isFirst: boolean
}

/** The same for several shards at once: those that something waits in. What was tried before is left as it was, to be tried by itself. */
export function noteFirstAttempts(db: Queryable, places: readonly Place[]): Promise<Head[]> {
  return manyPrepared<Head>(
    db,
    'first attempts',
    `with ${HEADS},
     noted as (
       insert into rappel.tried (shard, change_id, tries) select shard, change_id, 1 from head order by shard
       on conflict (shard, change_id) do nothing returning shard)
     select shard, change_id as change, shard in (select shard from noted) as "isFirst" from head`,
    asArguments(places),
  )
}

/** Takes notes back: the attempts ended in an error that was told, and killed nobody, or in nothing. */
export async function forgetAttempts(db: Queryable, noted: readonly Noted[]): Promise<void> {
  if (noted.length === 0) return
  await touch(db, 'delete from rappel.tried t using unnest($1::int[], $2::bigint[]) n (shard, change) where t.shard = n.shard and t.change_id = n.change', [
    noted.map((n) => n.shard),
    noted.map((n) => n.change),
  ])
}

/** Lets go of notes that workers left which are no more, of changes that are handled. */
export async function forgetOldAttempts(db: Queryable): Promise<void> {
  await touch(
    db,
    `delete from rappel.tried t where t.at < now() - interval '1 hour' and not exists (select from rappel.queue q where q.shard = t.shard and q.change_id = t.change_id)`,
  )
}
