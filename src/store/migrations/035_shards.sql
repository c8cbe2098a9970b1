-- How many shards changes are spread over is a setting, which may change while everything goes on. The number of a shard says how many there were when it was given: of sixteen they are
-- 0 to 15, of n others n to 2n - 1. Rows of another number than today's go first: a record's earlier changes are among them, for whoever wrote it later had to wait for that to be committed.
create table rappel.shards (
  one boolean primary key default true check (one),
  n int not null check (n in (16, 32, 64, 128, 256, 512, 1024)),
  base int not null generated always as (case when n = 16 then 0 else n end) stored,
  -- Transactions that may still queue rows by the number before: those below it; null while that is not known yet.
  older_than xid8
);
insert into rappel.shards (n, older_than) values (16, '0');

create function rappel.place_of(tbl text, rec bigint, n int) returns smallint language sql immutable as $$
  select ((case when n = 16 then 0 else n end) + (((case when rec between -999999999999999999 and 999999999999999999 then hashint8(rec) else hashtext(rec::text) end) # hashtext(tbl)) & (n - 1)))::smallint
$$;
create function rappel.place_of(tbl text, rec text, n int) returns smallint language sql immutable as $$
  select case when rec ~ '^-?[0-9]{1,18}$' then rappel.place_of(tbl, rec::bigint, n) else ((case when n = 16 then 0 else n end) + ((hashtext(rec) # hashtext(tbl)) & (n - 1)))::smallint end
$$;
create function rappel.place_of(tbl text, rec uuid, n int) returns smallint language sql immutable as $$ select rappel.place_of(tbl, rec::text, n) $$;
create function rappel.place_of(tbl text, rec jsonb, n int) returns smallint language sql immutable as $$ select rappel.place_of(tbl, rec #>> '{}', n) $$;

create or replace function rappel.shard_of(tbl text, rec bigint) returns smallint language sql stable as $$ select rappel.place_of(tbl, rec, (select s.n from rappel.shards s)) $$;
create or replace function rappel.shard_of(tbl text, rec text) returns smallint language sql stable as $$ select rappel.place_of(tbl, rec, (select s.n from rappel.shards s)) $$;
create or replace function rappel.shard_of(tbl text, rec uuid) returns smallint language sql stable as $$ select rappel.place_of(tbl, rec, (select s.n from rappel.shards s)) $$;
create or replace function rappel.shard_of(tbl text, rec jsonb) returns smallint language sql stable as $$ select rappel.place_of(tbl, rec, (select s.n from rappel.shards s)) $$;

-- How many shards there were when this one's number was given.
create function rappel.shards_with(shard int) returns int language sql immutable as $$
  select case when shard < 32 then 16 when shard < 64 then 32 when shard < 128 then 64 when shard < 256 then 128 when shard < 512 then 256 when shard < 1024 then 512 else 1024 end
$$;

-- Whether no row of another number of shards is left.
create function rappel.is_through() returns boolean language sql stable as $$
  select not exists (select from rappel.queue q where q.shard < (select s.base from rappel.shards s))
     and not exists (select from rappel.queue q where q.shard >= (select s.base + s.n from rappel.shards s))
$$;

-- The shards that have anything to handle, each found by one look at the index.
create function rappel.busy_shards() returns setof smallint language sql stable as $$
  with recursive busy (shard) as (
    (select q.shard from rappel.queue q order by q.shard limit 1)
    union all
    select (select q.shard from rappel.queue q where q.shard > b.shard order by q.shard limit 1) from busy b where b.shard is not null)
  select shard from busy where shard is not null
$$;

-- The queue is small most of the time, as whoever plans sees it, and holds what was taken off it as long as some older transaction is open: it is always read by its index.
alter function rappel.is_through() set enable_seqscan = off;
alter function rappel.busy_shards() set enable_seqscan = off;

-- Whoever writes spreads its changes by today's number.
create function rappel.mend(of_function regprocedure, was text, becomes text) returns void language plpgsql as $$
declare
  source text := pg_get_functiondef(of_function);
begin
  if position(was in source) = 0 then
    raise exception '% does not contain %', of_function, was;
  end if;
  execute replace(source, was, becomes);
end
$$;
select rappel.mend('rappel.attach_capture(text)', $q$format('rappel.shard_of(%L, rec)', tbl)$q$, $q$format('rappel.place_of(%L, rec, shards.n)', tbl)$q$);
select rappel.mend('rappel.attach_capture(text)', 'rappel.key_of(rec), ‹xid› from logged''', 'rappel.key_of(rec), ‹xid› from logged, rappel.shards''');
select rappel.mend('rappel.attach_capture(text)', 'as shard, id, rec from logged)', 'as shard, id, rec from logged, rappel.shards)');
-- A column may be called as one of the variables is: the variable is meant.
select rappel.mend('rappel.attach_capture(text)', E'as $capture$\ndeclare', E'as $capture$\n#variable_conflict use_variable\ndeclare');
select rappel.mend('rappel.claim_queue(int, int)', 'rappel.shard_of($5, l.rec) = $4', 'rappel.place_of($5, l.rec, rappel.shards_with($4)) = $4');
select rappel.mend('rappel.claim_queue(int, int)', '(head.last - head.change_id) / 16', '(head.last - head.change_id) / rappel.shards_with(of_shard)');
select rappel.mend('rappel.claim_queue(int, int)', E'begin\n  loop', E'begin\n  if rappel.shards_with(of_shard) = (select s.n from rappel.shards s) and not rappel.is_through() then\n    return;\n  end if;\n  loop');
alter function rappel.claim_queue(int, int) set enable_seqscan = off;
alter function rappel.claim_queue(int, int) set enable_bitmapscan = off;
alter function rappel.claim_queue(int, int) set plan_cache_mode = force_generic_plan;
select rappel.attach_capture(name) from rappel.table_def order by position;

-- Changes the number, for whoever keeps all workers from deciding meanwhile: 'set', 'same', or 'not through' as long as changes may still come by the number before the last change.
create function rappel.set_shards(to_n int) returns text language plpgsql as $$
declare
  now_n int;
  older xid8;
begin
  select s.n, s.older_than into now_n, older from rappel.shards s for update;
  if to_n = now_n then
    return 'same';
  end if;
  if not rappel.is_through() then
    return 'not through';
  end if;
  if older is null then
    update rappel.shards set older_than = pg_snapshot_xmax(rappel.snapshot());
    return 'not through';
  end if;
  if pg_snapshot_xmin(rappel.snapshot()) < older then
    return 'not through';
  end if;
  update rappel.shards set n = to_n, older_than = null;
  update rappel.stay set shard = rappel.place_of(tbl, rec, to_n) where outcome is null;
  return 'set';
end
$$;
