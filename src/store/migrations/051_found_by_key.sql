-- While a transaction is open for long, indexes and rows that are written over and over hold all that was done since: what is looked for all the time is found by a key of its own.

-- What waits, workflow by workflow and by time. While a transaction is open for long, indexes hold all that was sent since, and one by time alone was read from there anew for each workflow: its predicate is
-- written so that whoever means this one gets no other.
create index message_in_turn on rappel.message (coalesce(workflow, 0), next_at, id) where state || '' = 'queued' and behind is null and priority <> 'high';
drop index rappel.message_due_of_workflow;

-- Changes that were tried, by change: rappel.attempt, a row for each shard, is written by the version before alone.
create table rappel.tried (
  shard smallint not null,
  change_id bigint not null,
  tries int not null,
  at timestamptz not null default now(),
  primary key (shard, change_id)
);

-- The oldest change that waits in each of some shards, above one each. Found by the key of the queue whatever its statistics say, which in a moment without changes tell the planner that any index will do.
create function rappel.heads(shards int[], above bigint[]) returns table (shard int, change_id bigint) language plpgsql stable
  set enable_seqscan to off set enable_bitmapscan to off set enable_sort to off set plan_cache_mode to force_generic_plan as $$
#variable_conflict use_column
begin
  return query
    select s.shard, h.change_id from unnest(shards, above) s (shard, above)
     cross join lateral (select q.change_id from rappel.queue q where q.shard = s.shard and q.change_id > s.above order by q.change_id limit 1) h;
end
$$;

-- The same wherever the queue is looked at above a floor: an index that begins with the shard as well, by transactions, would have to be sorted.
select rappel.mend('rappel.busy_shards(bigint, xid8[], bigint[])', 'q.change_id > a.id limit 1)', 'q.change_id > a.id order by q.change_id limit 1)');
alter function rappel.busy_shards(bigint, xid8[], bigint[]) set enable_sort to off;
alter function rappel.find_floor(bigint, xid8, bigint, xid8[], bigint[]) set enable_sort to off;
alter function rappel.claim_shards(int[], int, bigint, xid8[], bigint[]) set enable_sort to off;
drop function rappel.mend;
