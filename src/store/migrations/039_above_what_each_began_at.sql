-- Once a transaction has ended that could write below a floor, one looked from the bottom until another floor was found. But whoever began after a moment draws higher numbers than were drawn by then
-- (038), so that it is enough to look above the number that goes with each (`lows`, one for each of `running`).
create function rappel.busy_shards(floor bigint, running xid8[], lows bigint[]) returns setof smallint language plpgsql stable as $$
begin
  return query
    with above as materialized (
      select (select least(floor, min(r.low)) from unnest(running, lows) r (x, low) where pg_visible_in_snapshot(r.x, pg_current_snapshot())) as id, s.base, s.n from rappel.shards s)
    select h.shard from above a cross join lateral generate_series(a.base, a.base + a.n - 1) g
     cross join lateral (select q.shard from rappel.queue q where q.shard = g::smallint and q.change_id > a.id limit 1) h
    union all
    select b.b from above a cross join lateral (
      select b from rappel.busy_shards() b
       where exists (select from rappel.queue q where q.shard < (select s.base from rappel.shards s)) or exists (select from rappel.queue q where q.shard >= (select s.base + s.n from rappel.shards s))) b
     where b.b < a.base or b.b >= a.base + a.n;
end
$$;

-- A floor for the looks to come: at most a number that had been drawn from rappel.change_id before a transaction was begun, and below all that waits. Transactions older than that one may write below it.
create function rappel.find_floor(drawn bigint, begun xid8, floor bigint, running xid8[], lows bigint[]) returns table (id bigint, still_running xid8[]) language plpgsql stable as $$
begin
  return query
    with above as materialized (
      select (select least(floor, min(r.low)) from unnest(running, lows) r (x, low) where pg_visible_in_snapshot(r.x, pg_current_snapshot())) as id)
    select least(drawn, (select min(h.change_id) - 1 from above a, rappel.busy_shards(floor, running, lows) s (shard)
                          cross join lateral (select q.change_id from rappel.queue q where q.shard = s.shard and q.change_id > a.id order by q.change_id limit 1) h)),
           array(select x from pg_snapshot_xip(pg_current_snapshot()) x where x < begun);
end
$$;

-- Takes changes of some shards off the queue, above a floor: what rappel.claim_queue does, of all of them in one statement, but for the shards in which a stretch of a bulk waits.
create function rappel.claim_shards(shards int[], most int, floor bigint, running xid8[], lows bigint[])
  returns table (of_shard int, of_table text, ids bigint[], first_id bigint, last_id bigint, of_xid xid8) language plpgsql as $$
#variable_conflict use_column
declare
  open int[] := shards;
  one int;
  head rappel.queue;
begin
  if exists (select from rappel.queue q where q.shard < (select s.base from rappel.shards s)) or exists (select from rappel.queue q where q.shard >= (select s.base + s.n from rappel.shards s)) then
    open := array(select s from unnest(shards) s where rappel.shards_with(s) <> (select n from rappel.shards));
  end if;
  <<each>>
  for one in
    with above as materialized (
      select (select least(floor, min(r.low)) from unnest(running, lows) r (x, low) where pg_visible_in_snapshot(r.x, pg_current_snapshot())) as id)
    select distinct s from unnest(open) s cross join lateral (select from rappel.queue q where q.shard = s and q.last is not null and q.change_id > (select id from above) limit 1) q
  loop
    loop
      with above as materialized (
             select (select least(floor, min(r.low)) from unnest(running, lows) r (x, low) where pg_visible_in_snapshot(r.x, pg_current_snapshot())) as id),
           near as (select * from rappel.queue q where q.shard = one and q.change_id > (select id from above) order by q.change_id limit most)
      select q.* into head from rappel.queue q
       where q.shard = one and q.last is not null and q.change_id > (select id from above)
         and exists (select from near n where n.xid = q.xid and n.tbl = q.tbl and (n.change_id <> q.change_id or n.change_id = (select min(change_id) from near)))
       order by q.change_id limit 1;
      exit when not found;
      if (head.last - head.change_id) / rappel.shards_with(one) >= most / 4 and not exists (select from rappel.queue q where q.shard = one and q.xid = head.xid and q.tbl = head.tbl and q.change_id <> head.change_id) then
        open := array_remove(open, one);
        return query select one, head.tbl, null::bigint[], head.change_id, head.last, head.xid;
        continue each;
      end if;
      delete from rappel.queue q where q.shard = one and q.change_id = head.change_id;
      execute format('insert into rappel.queue (shard, change_id, tbl, rec, xid) select $4, l.id, $5, rappel.key_of(l.rec), $3 from %s l where l.id between $1 and $2 and l.xid = $3 and rappel.place_of($5, l.rec, rappel.shards_with($4)) = $4',
                     rappel.log_name(head.tbl)) using head.change_id, head.last, head.xid, one, head.tbl;
    end loop;
  end loop;
  return query
    with above as materialized (
           select (select least(floor, min(r.low)) from unnest(running, lows) r (x, low) where pg_visible_in_snapshot(r.x, pg_current_snapshot())) as id),
         wanted as materialized (
           select s::smallint as shard, a.id as above, coalesce((select min(q.change_id) from rappel.queue q where q.shard = s::smallint and q.last is not null and q.change_id > a.id), 9223372036854775807) as before
             from above a, unnest(open) s),
         first as materialized (
           select w.shard, f.tbl, f.rec, f.xid from wanted w
            cross join lateral (select q.tbl, q.rec, q.xid from rappel.queue q
                                 where q.shard = w.shard and q.last is null and q.change_id > w.above and q.change_id < w.before order by q.change_id limit most) f),
         whole as (select r.place from (select distinct shard, tbl, rec, xid from first) f
                    cross join lateral (select q.ctid as place from rappel.queue q where q.shard = f.shard and q.xid = f.xid and q.tbl = f.tbl and q.rec = f.rec offset 0) r),
         taken as (delete from rappel.queue q where q.ctid = any (array(select place from whole)) returning q.shard, q.change_id, q.tbl, q.rec, q.xid),
         noted as (insert into rappel.change_apart (change_id, tbl)
                   select t.change_id, t.tbl from (select *, count(*) over (partition by shard, tbl, rec, xid) as rows from taken) t where t.rows > 1)
    select t.shard::int, t.tbl, array_agg(t.change_id), null::bigint, null::bigint, null::xid8 from taken t group by t.shard, t.tbl;
end
$$;
do $$
declare
  f regprocedure;
begin
  foreach f in array array['rappel.busy_shards(bigint, xid8[], bigint[])', 'rappel.find_floor(bigint, xid8, bigint, xid8[], bigint[])', 'rappel.claim_shards(int[], int, bigint, xid8[], bigint[])']::regprocedure[] loop
    execute format('alter function %s set enable_seqscan = off', f);
    execute format('alter function %s set enable_bitmapscan = off', f);
    execute format('alter function %s set plan_cache_mode = force_generic_plan', f);
  end loop;
end
$$;

-- What is due is found by the index in the order of time, and never by this one, which as long as some transaction is open holds all that was sent since: PostgreSQL takes it only where a record is looked for.
drop index rappel.message_open_of_record;
create index message_open_of_record on rappel.message (tbl, rec, id) where state in ('queued', 'sending') and tbl is not null;
