import { manyPrepared, maybeOne, type Queryable } from './database'

/**
 * Notes that a shard's oldest change is about to be handled, on a connection of its own, and answers which try at that change it is; 0 where
 * nothing waits. Looked for above a change that was handled before, so that what was taken off the queue since the last clean-up is not gone through.
 * Whoever calls holds the shard. The note needs not outlast the database, so that its commit waits for no disk.
 */
export async function noteAttempt(db: Queryable, shard: number, above: number): Promise<number> {
  const row = await maybeOne<{ tries: number }>(
    db,
    `with head as (select change_id, set_config('synchronous_commit', 'off', true) from rappel.queue where shard = $1 and change_id > $2 order by change_id limit 1)
     insert into rappel.attempt as a (shard, change_id, tries) select $1, change_id, 1 from head
     on conflict (shard) do update set change_id = excluded.change_id, at = now(), tries = case when a.change_id = excluded.change_id then a.tries + 1 else 1 end
     returning tries`,
    [shard, above],
  )
  return row?.tries ?? 0
}

/** A shard's oldest change, as it is to be handled with those of others. */
export interface Head {
  readonly shard: number
  /** Whether nobody tried it before, so that it is noted now. */
  readonly isFirst: boolean
}

/** The same for several shards at once, of which each is looked at above a change of its own: those that something waits in. What was tried before is left as it was, to be tried by itself. */
export function noteFirstAttempts(db: Queryable, shards: readonly { readonly shard: number; readonly above: number }[]): Promise<Head[]> {
  return manyPrepared<Head>(
    db,
    'first attempts',
    `with head as (
       select s.shard, h.change_id, set_config('synchronous_commit', 'off', true) from unnest($1::int[], $2::bigint[]) s (shard, above)
        cross join lateral (select change_id from rappel.queue q where q.shard = s.shard and q.change_id > s.above order by q.change_id limit 1) h),
     noted as (
       insert into rappel.attempt as a (shard, change_id, tries) select shard, change_id, 1 from head order by shard
       on conflict (shard) do update set change_id = excluded.change_id, at = now(), tries = 1 where a.change_id <> excluded.change_id
       returning shard)
     select shard, shard in (select shard from noted) as "isFirst" from head`,
    [shards.map((s) => s.shard), shards.map((s) => s.above)],
  )
}

/** Takes notes back: the attempts ended in an error that was told, and killed nobody, or in nothing. */
export async function forgetAttempts(db: Queryable, shards: readonly number[]): Promise<void> {
  if (shards.length > 0) await db.query('delete from rappel.attempt where shard = any($1)', [shards])
}
