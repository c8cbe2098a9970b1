-- The log orders and tells apart transactions by their numbers, which are the server's own and begin anew where a dump is restored into another server. There they go on above all that
-- the log knows: by a distance, none in a database that was never moved.
create function rappel.xid() returns xid8 language sql stable parallel restricted as $$ select pg_current_xact_id() $$;
create function rappel.snapshot() returns pg_snapshot language sql stable parallel safe as $$ select pg_current_snapshot() $$;

do $$
declare
  one oid;
begin
  for one in select p.oid from pg_proc p join pg_namespace n on n.oid = p.pronamespace where n.nspname = 'rappel' and p.proname in ('attach_capture', 'capture_person', 'log_unlogged') loop
    execute replace(pg_get_functiondef(one), 'pg_current_xact_id()', 'rappel.xid()');
  end loop;
end $$;
alter table rappel.bulk alter column xid set default rappel.xid();
select rappel.attach_capture(name) from rappel.table_def order by position;

-- Lets numbers go on above those that are known; by how much they are raised.
create function rappel.continue_numbers() returns bigint language plpgsql as $$
declare
  top bigint;
  distance bigint;
begin
  select max(n) into top from (
    select max(c.xid)::text::bigint as n from rappel.change c
    union all select max(q.xid)::text::bigint from rappel.queue q
    union all select max(b.xid)::text::bigint from rappel.bulk b
    union all select max(pg_snapshot_xmax(s.from_snapshot))::text::bigint from rappel.stretch s
    union all select max(pg_snapshot_xmax(s.to_snapshot))::text::bigint from rappel.stretch s
    union all select max(pg_snapshot_xmax(t.from_snapshot))::text::bigint from rappel.trial t
    union all select max(pg_snapshot_xmax(f.seen))::text::bigint from rappel.figure f
    union all select max(pg_snapshot_xmax(h.since))::text::bigint from rappel.hook h
    union all select max(h.upto_xid)::text::bigint from rappel.hook h) known;
  distance := greatest(0, coalesce(top, 0) + 1 - pg_snapshot_xmin(pg_current_snapshot())::text::bigint);
  execute format('create or replace function rappel.xid() returns xid8 language sql stable parallel restricted as $f$ select ((pg_current_xact_id()::text::bigint + %s)::text)::xid8 $f$', distance);
  execute format($q$create or replace function rappel.snapshot() returns pg_snapshot language sql stable parallel safe as $f$
    select ((pg_snapshot_xmin(s)::text::bigint + %1$s) || ':' || (pg_snapshot_xmax(s)::text::bigint + %1$s) || ':' ||
            coalesce((select string_agg((x::text::bigint + %1$s)::text, ',' order by x) from pg_snapshot_xip(s) x), ''))::pg_snapshot from pg_current_snapshot() s $f$ $q$, distance);
  return distance;
end $$;
