-- As long as some transaction is open, the queue's index holds all that was taken off it since (PostgreSQL, "Routine Vacuuming"): whoever looks for what waits would read it each time. A worker
-- therefore looks above a floor: below it nothing is to be seen but what transactions write that are open already. Once one of these has ended, the floor is 0, in the same snapshot, so that
-- changes of a record stay in order.
create function rappel.floor_now(floor bigint, running xid8[]) returns bigint language sql stable as $$
  select case when exists (select from unnest(running) x where pg_visible_in_snapshot(x, pg_current_snapshot())) then 0 else floor end
$$;

-- The shards that have anything to handle above a floor, each found by one look at the index.
create function rappel.busy_shards(floor bigint, running xid8[]) returns setof smallint language sql stable as $$
  with above as materialized (select rappel.floor_now(floor, running) as id, s.base, s.n from rappel.shards s)
  select h.shard from above a cross join lateral generate_series(a.base, a.base + a.n - 1) g
   cross join lateral (select q.shard from rappel.queue q where q.shard = g::smallint and q.change_id > a.id limit 1) h
  union all
  select b from above a cross join lateral (select b from rappel.busy_shards() b where not rappel.is_through()) b where b < a.base or b >= a.base + a.n
$$;
alter function rappel.busy_shards(bigint, xid8[]) set enable_seqscan = off;

-- A floor for the looks to come: at most a number that had been drawn from rappel.change_id before a transaction was begun, and below all that waits. Transactions older than that one may write below it.
create function rappel.find_floor(drawn bigint, begun xid8, floor bigint, running xid8[]) returns table (id bigint, still_running xid8[]) language sql stable as $$
  with above as materialized (select rappel.floor_now(floor, running) as id)
  select least(drawn, (select min(h.change_id) - 1 from above a, rappel.busy_shards(floor, running) s (shard)
                        cross join lateral (select q.change_id from rappel.queue q where q.shard = s.shard and q.change_id > a.id order by q.change_id limit 1) h)),
         array(select x from pg_snapshot_xip(pg_current_snapshot()) x where x < begun)
$$;
alter function rappel.find_floor(bigint, xid8, bigint, xid8[]) set enable_seqscan = off;

create function rappel.claim_queue(of_shard int, most int, floor bigint, running xid8[])
  returns table (of_table text, ids bigint[], first_id bigint, last_id bigint, of_xid xid8) language plpgsql as $$
#variable_conflict use_column
declare
  head rappel.queue;
begin
  if rappel.shards_with(of_shard) = (select s.n from rappel.shards s) and not rappel.is_through() then
    return;
  end if;
  loop
    with near as (select * from rappel.queue q where q.shard = of_shard and q.change_id > (select rappel.floor_now(floor, running)) order by q.change_id limit most)
    select q.* into head from rappel.queue q
     where q.shard = of_shard and q.last is not null and q.change_id > (select rappel.floor_now(floor, running))
       and exists (select from near n where n.xid = q.xid and n.tbl = q.tbl and (n.change_id <> q.change_id or n.change_id = (select min(change_id) from near)))
     order by q.change_id limit 1;
    exit when not found;
    if (head.last - head.change_id) / rappel.shards_with(of_shard) >= most / 4 and not exists (select from rappel.queue q where q.shard = of_shard and q.xid = head.xid and q.tbl = head.tbl and q.change_id <> head.change_id) then
      return query select head.tbl, null::bigint[], head.change_id, head.last, head.xid;
      return;
    end if;
    delete from rappel.queue q where q.shard = of_shard and q.change_id = head.change_id;
    execute format('insert into rappel.queue (shard, change_id, tbl, rec, xid) select $4, l.id, $5, rappel.key_of(l.rec), $3 from %s l where l.id between $1 and $2 and l.xid = $3 and rappel.place_of($5, l.rec, rappel.shards_with($4)) = $4',
                   rappel.log_name(head.tbl)) using head.change_id, head.last, head.xid, of_shard, head.tbl;
  end loop;
  return query
    with above as materialized (select rappel.floor_now(floor, running) as id),
         first as (select q.tbl, q.rec, q.xid from rappel.queue q
                    where q.shard = of_shard and q.last is null and q.change_id > (select id from above)
                      and q.change_id < coalesce((select min(s.change_id) from rappel.queue s where s.shard = of_shard and s.last is not null and s.change_id > (select id from above)), 9223372036854775807)
                    order by q.change_id limit most),
         whole as (select r.place from (select distinct tbl, rec, xid from first) f
                    cross join lateral (select q.ctid as place from rappel.queue q where q.shard = of_shard and q.xid = f.xid and q.tbl = f.tbl and q.rec = f.rec offset 0) r),
         taken as (delete from rappel.queue q where q.ctid = any (array(select place from whole)) returning q.change_id, q.tbl, q.rec, q.xid),
         noted as (insert into rappel.change_apart (change_id, tbl)
                   select t.change_id, t.tbl from (select *, count(*) over (partition by tbl, rec, xid) as rows from taken) t where t.rows > 1)
    select t.tbl, array_agg(t.change_id), null::bigint, null::bigint, null::xid8 from taken t group by t.tbl;
end
$$;
alter function rappel.claim_queue(int, int, bigint, xid8[]) set enable_seqscan = off;
alter function rappel.claim_queue(int, int, bigint, xid8[]) set enable_bitmapscan = off;
alter function rappel.claim_queue(int, int, bigint, xid8[]) set plan_cache_mode = force_generic_plan;

-- Workers of the version before claim as they did.
create or replace function rappel.claim_queue(of_shard int, most int) returns table (of_table text, ids bigint[], first_id bigint, last_id bigint, of_xid xid8) language sql as $$
  select * from rappel.claim_queue(of_shard, most, 0, '{}')
$$;

-- When the next message becomes due after a moment: by the index of what is due, in whose order it need not be sorted. That of what is open for a record would be gone through as a whole.
create function rappel.next_due(after timestamptz) returns timestamptz language sql stable as $$
  select next_at from rappel.message where state = 'queued' and behind is null and next_at > after order by next_at, id limit 1
$$;
alter function rappel.next_due(timestamptz) set enable_sort = off;
alter function rappel.next_due(timestamptz) set enable_seqscan = off;
