import { maybeOne, type Queryable } from './database'

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

/** Takes a note back: the attempt ended in an error that was told, and killed nobody. */
export async function forgetAttempt(db: Queryable, shard: number): Promise<void> {
  await db.query('delete from rappel.attempt where shard = $1', [shard])
}
